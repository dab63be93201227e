import type { ServiceWord, ServiceWords, ShownDevice } from '../gates/kind.ts';
import type { VerdictRequest } from '../verdict/verdict.ts';

/**
 * A request as it goes to a running front, whole.
 *
 * @property sni name in the handshake; null for none @property host every Host line, in order
 * @property from address of the client @property headers all other header lines, as they are written
 * @property person who the credentials among `headers` prove, `none` without, `wrong` when they prove nobody
 * @property words what services that gates ask will say of it @property knownIn password files in which the credentials are right; without it in every one
 * @property device what the handshake shows; without it nothing
 */
export interface Sent {
  listener: 'http' | 'https';
  sni: string | null;
  host: string[];
  method: string;
  target: string;
  version: '1.0' | '1.1' | '2.0';
  from: string;
  headers: Array<[string, string]>;
  body: string | null;
  person: string;
  knownIn?: readonly string[];
  overRate: boolean;
  words?: ServiceWords;
  device?: ShownDevice;
}

/** What came back: a refused handshake, a connection that was closed without a byte, or an answer. Header names in lower case. */
export type Outcome =
  | { kind: 'no-handshake' }
  | { kind: 'closed' }
  | { kind: 'answer'; status: number; headers: Record<string, string>; body: string };

/** What reached a stand-in of a service. Header names in lower case, several lines joined by ` + `. */
export interface Seen {
  method: string;
  target: string;
  headers: Record<string, string>;
  body: string;
}

/** The request as the verdict takes it. */
export function requestOf({ listener, sni, host, method, target, version, from, ...rest }: Sent): VerdictRequest {
  const headers = Object.create(null) as Record<string, string[]>;
  for (const [name, value] of rest.headers) (headers[name.toLowerCase()] ??= []).push(value);
  const { person, knownIn, overRate, words, device } = rest;
  return {
    ...{
      listener,
      sni: listener === 'http' ? null : sni,
      host: hostLines(host, version),
      method,
      target,
      httpVersion: version,
      peer: from,
    },
    ...{ headers, person, overRate },
    ...(knownIn === undefined ? {} : { knownIn }),
    ...(words === undefined ? {} : { words }),
    ...(device === undefined ? {} : { device }),
  };
}

/** RFC 9113 §8.3.1: over HTTP/2 the first is `:authority`, and a Host that says the same is no second one. */
function hostLines([first, ...others]: readonly string[], version: Sent['version']): string[] {
  if (first === undefined) return [];
  return [first, ...others.filter((one) => version !== '2.0' || one !== first)];
}

/** Whether it asks for a live connection (RFC 6455 §4.1). */
export function asksForLive({ headers }: Pick<Sent, 'headers'>): boolean {
  return headers.some(([name, to]) => name.toLowerCase() === 'upgrade' && /^websocket$/i.test(to));
}

/** Header lines that ask for an upgrade of the connection. */
export function upgradeTo(protocol: string): Array<[string, string]> {
  return [
    ['Connection', 'Upgrade'],
    ['Upgrade', protocol],
    ['Sec-WebSocket-Version', '13'],
    ['Sec-WebSocket-Key', 'c2FsdG1hcnNoIHBsb3Zlcg=='],
  ];
}

/** With it a request tells the stand-in of a service that a gate asks what to say. */
export const wordHeader = 'x-rehearsal-word';

/** The same word of every service that is asked. */
export function wordOf({ status, location, told }: ServiceWord): [string, string] {
  return [wordHeader, JSON.stringify({ status, location, told })];
}
