import { withPort } from '../../networks/address.ts';
import type { Plan } from '../../plan/plan.ts';
import type { Upstream } from '../../plan/upstream.ts';
import { keptSeconds, longestAnswerHeadBytes } from '../../front-limits.ts';

export function originOf({ scheme, host, port }: Pick<Upstream, 'scheme' | 'host' | 'port'>): string {
  return `${scheme}://${withPort(host, port)}`;
}

/** How a service is dialled (mod_proxy, "ProxyPass", parameters of workers). */
export function workerLines({ limits }: Plan, { byName }: Pick<Upstream, 'byName'>, silenceSeconds: number): string[] {
  const set = {
    upgrade: 'websocket',
    // A service that was down is asked again with the next request.
    retry: 0,
    connectiontimeout: limits.connectSeconds,
    timeout: silenceSeconds,
    responsefieldsize: longestAnswerHeadBytes,
    // A name may move, and is looked up for each connection.
    ...(byName ? { disablereuse: 'on' } : { enablereuse: 'on', ttl: keptSeconds }),
  };
  return [
    `ProxySet ${Object.entries(set)
      .map(([key, value]) => `${key}=${String(value)}`)
      .join(' ')}`,
  ];
}
