import type { ProxyName } from './fronts.ts';
import { freePorts } from './ports.ts';

/** The head of a practice map on loopback, with ports that are free. */
export async function practiceHead(
  proxy: ProxyName = 'builtin',
  extra = '',
): Promise<{ head: string; http: number; https: number; mark: number }> {
  const [http = 0, https = 0, mark = 0] = await freePorts(3);
  // Networks of this machine come and go while other tests run.
  const home = extra.includes('home-networks') ? '' : '  home-networks: [127.0.0.0/8, "::1/128"]\n';
  const head = `domains: [saltmarsh.example]
front:
  address: 127.0.0.1
  proxy: ${proxy}
  ports: {http: ${String(http)}, https: ${String(https)}}
  mark: 127.0.0.1:${String(mark)}
${home}${extra}`;
  return { head, http, https, mark };
}
