import { parseHostName } from '../names/host-name.ts';
import type { Left, Origin, TakenLeads } from './taken-over.ts';

/** What all readers of configurations made by hand have in common: names, services, redirects and headers as a map writes them. */

/** A full name in comparable form, `*.NAME` for all below one; null when it is none: one word alone would stand below the domain in a map. */
export function readableName(name: string): string | null {
  const wild = /^\*\.(.+)$/.exec(name)?.[1] ?? /^\.(.+)$/.exec(name)?.[1];
  const parsed = parseHostName(wild ?? name);
  if (!parsed.ok || !parsed.name.ascii.includes('.')) return null;
  return wild === undefined ? parsed.name.ascii : `*.${parsed.name.ascii}`;
}

/** What several blocks inherit is listed once. */
export function once(left: readonly Left[]): Left[] {
  return [...new Map(left.map((one) => [JSON.stringify(one), one])).values()];
}

/** A service as a map writes it, a port of this machine or a URL, of an authority such as `localhost:8080`. */
export function serviceWords(scheme: string, authority: string): string {
  const [, host = '', port] = /^(\[[^\]]+\]|[^:]+)(?::(\d+))?$/.exec(authority) ?? [];
  const local = ['127.0.0.1', 'localhost', '[::1]', '0.0.0.0'].includes(host);
  if (local && scheme === 'http') return `:${port ?? '80'}`;
  return `${scheme}://${local ? '127.0.0.1' : host}${port === undefined ? '' : `:${port}`}`;
}

/** Headers that a front of a map says in its own way. */
export function isOwnHeader(name: string): boolean {
  return /^(strict-transport-security|x-frame-options|x-content-type-options|referrer-policy|access-control-.*|alt-svc)$/i.test(
    name,
  );
}

/** Of an endpoint that a server listens on, the address that may be the public one. */
export function isPublicLiteral(address: string | null): address is string {
  return address !== null && !['0.0.0.0', '::', '127.0.0.1', '::1'].includes(address);
}

/** The port that most of them are. */
export function usualPort(ports: readonly number[]): number | null {
  const counts = new Map<number, number>();
  for (const port of ports) counts.set(port, (counts.get(port) ?? 0) + 1);
  return [...counts].sort(([, a], [, b]) => b - a)[0]?.[0] ?? null;
}

interface Target {
  /** Of the target, perhaps the visitor's own in the program's words. */
  scheme: string;
  host: string;
  /** What stands behind the host, without what stands for the visitor's own path. */
  rest: string;
  /** Whether the visitor's own path and query follow. */
  keeps: boolean;
  permanent: boolean;
  origin: Origin;
  /** As it is written. */
  shown: string;
}

/** A redirect as a map has it. `https`: to the same name over HTTPS, which every road of a map does. */
export function redirectLeads(
  { scheme, host, rest, keeps, permanent, origin, shown }: Target,
  isSame: boolean,
  left: Left[],
): TakenLeads | 'https' {
  if (isSame && scheme === 'https') return 'https';
  if (!keeps)
    left.push({
      origin,
      what: `redirect to ${shown}`,
      why: 'sent every path to one page; a redirect of a map keeps path and query',
    });
  return {
    kind: 'redirect',
    url: `${scheme}://${host}${keeps ? '' : rest.replace(/\?$/, '').replace(/\/$/, '')}`,
    permanent,
  };
}
