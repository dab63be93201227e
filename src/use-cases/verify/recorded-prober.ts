import { trustIn } from '../../adapters/certificates/trust.ts';
import type { Shaken, Trust } from '../../adapters/probe/handshake.ts';
import { certificateFacts, inOrder, pemBlocks, readableChain, weakness } from '../../adapters/certificates/read.ts';
import type { Answer, Attempt, Failure } from '../../core/legs/answer.ts';
import type { Opened } from '../../core/legs/websocket.ts';
import type { Seen, SeenAnswer, SeenHandshake, SeenLive } from '../../core/look/seen.ts';
import { familyOf, parseAddress } from '../../core/networks/address.ts';
import type { Endpoint, Prober } from './prober.ts';

const notSeen: Failure = { kind: 'unreachable', reason: 'the other machine did not test it' };

/** Looks at what another machine wrote down. */
export function recordedProber({ answers, handshakes, live }: Seen, trust: Trust): Prober {
  const at = ({ address, port }: Endpoint): SeenAnswer[] =>
    answers.filter((one) => one.port === port && isThere(one, address));
  const shaken = ({ address, port }: Endpoint, name: string): SeenHandshake | undefined =>
    handshakes.find((one) => one.name === name && one.port === port && one.family === familyOf(address));
  return {
    names: {
      label: 'of the other machine',
      addressesOf: (name) => {
        const own = answers.filter((one) => one.name === name);
        const found = own.flatMap(({ to }) => parseAddress(to) ?? []);
        if (found.length > 0) return Promise.resolve({ kind: 'found', addresses: [...new Set(found)].sort() });
        const unknown = own.length > 0 && own.every(({ exit }) => exit === 6);
        if (unknown) return Promise.resolve({ kind: 'missing' });
        return Promise.resolve({ kind: 'no-answer', reason: own[0]?.error ?? notSeen.reason });
      },
    },
    connect: (place) => {
      const tried = at(place);
      const open = tried.find(({ connected }) => connected);
      if (open !== undefined) return Promise.resolve({ ok: true, value: open.from });
      const [first] = tried;
      return Promise.resolve({ ok: false, failure: first === undefined ? notSeen : failureOf(first) });
    },
    handshake: (place, name) => {
      const found = shaken(place, name);
      return Promise.resolve(found === undefined ? { ok: false, failure: notSeen } : shakenOf(found, trust));
    },
    oldProtocol: (place, name) => {
      const [protocol = '', suite = '0000'] = (shaken(place, name)?.old ?? '').split(' ');
      const isTaken = /^TLSv1(\.1)?$/.test(protocol) && !/^0000$|^\(?NONE\)?$/.test(suite);
      return Promise.resolve(isTaken ? protocol.replace('TLSv', 'TLS ').replace(/ 1$/, ' 1.0') : null);
    },
    chainInOrder: (place, name) => {
      const chain = readableChain(pemBlocks(textOf(shaken(place, name)?.bytes ?? '')));
      return Promise.resolve(chain === null || chain.length === 0 ? null : inOrder(chain));
    },
    ask: ({ scheme, name, target, method, headers, ...place }) => {
      const wanted = name === '' ? place.address : name;
      const found = at(place).find((one) => one.scheme === scheme && one.name === wanted && one.target === target);
      const asksAsItWas = (method ?? 'GET') === 'GET' && Object.keys(headers).every((key) => key === 'host');
      return Promise.resolve(found === undefined || !asksAsItWas ? { ok: false, failure: notSeen } : answerOf(found));
    },
    openLive: ({ name, target, address, port }) => {
      const found = live.find(
        (one) => one.name === name && one.target === target && one.port === port && one.family === familyOf(address),
      );
      return Promise.resolve(found === undefined ? null : openedOf(found));
    },
    isLive: false,
  };
}

/** Whether an answer came from an address, or was looked for there. */
function isThere({ to, family }: SeenAnswer, address: string): boolean {
  const came = parseAddress(to);
  return came === null ? family === familyOf(address) : came === address;
}

function textOf(hex: string): string {
  return Buffer.from(hex, 'hex').toString('latin1');
}

/** curl(1), EXIT CODES. */
function failureOf({ exit, error, connected, bytes }: SeenAnswer): Failure {
  const reason = error.replace(/^curl: \(\d+\) /, '') || `curl ended with ${String(exit)}`;
  if (exit === 7 && /refused/i.test(reason)) return { kind: 'refused', reason };
  if (exit === 7 || exit === 6) return { kind: 'unreachable', reason };
  if (exit === 28) return { kind: 'silent', reason, mute: connected && bytes === '' };
  if (exit === 52) return { kind: 'closed', reason, mute: true };
  return { kind: exit === 18 ? 'cut' : 'broken', reason };
}

function answerOf(seen: SeenAnswer): Attempt<Answer> {
  const whole = Buffer.from(seen.bytes, 'hex').toString('utf8');
  const match = /^HTTP\/[\d.]+ (\d{3})[^\r\n]*\r?\n([\s\S]*?)\r?\n\r?\n([\s\S]*)$/.exec(`${whole}`);
  // A stream that never ends is cut off by the time limit: what came so far is the answer.
  if (seen.exit !== 0 && !(seen.exit === 28 && match !== null)) return { ok: false, failure: failureOf(seen) };
  if (match === null) return { ok: false, failure: { kind: 'broken', reason: 'Parse Error: no HTTP' } };
  const [, status = '0', head = '', body = ''] = match;
  const headers = head.split(/\r?\n/).flatMap((line): Array<[string, string]> => {
    const colon = line.indexOf(':');
    return colon === -1 ? [] : [[line.slice(0, colon).toLowerCase(), line.slice(colon + 1).trim()]];
  });
  return { ok: true, value: { status: Number(status), headers, body } };
}

/** Behind the blank line come frames, if any. */
function openedOf({ bytes }: SeenLive): Opened {
  const [, status, frames = ''] = /^HTTP\/[\d.]+ (\d{3})[^]*?\r?\n\r?\n([^]*)$/.exec(textOf(bytes)) ?? [];
  if (status === undefined) return { ok: false, reason: 'the connection was closed' };
  return status === '101' ? { ok: true, answered: frames !== '' } : { ok: false, reason: `status ${status}` };
}

function shakenOf({ bytes, two }: SeenHandshake, trust: Trust): Attempt<Shaken> {
  const text = textOf(bytes);
  const chain = readableChain(pemBlocks(text));
  if (chain === null) return { ok: false, failure: { kind: 'broken', reason: 'the certificate cannot be read' } };
  const [leaf] = chain;
  if (leaf === undefined) {
    // It says so as soon as there is a connection (openssl-s_client(1)).
    if (!text.includes('CONNECTED(')) return { ok: false, failure: notSeen };
    const alert = /alert ([a-z ]+)/i.exec(text)?.[1]?.trim();
    const plain = /wrong version number|packet length too long/i.exec(text)?.[0];
    const reason = alert === undefined ? (plain ?? 'there was no handshake') : `TLS alert "${alert}"`;
    return { ok: false, failure: { kind: 'broken', reason } };
  }
  const protocol = /^New, (TLSv[\d.]+)/m.exec(text)?.[1] ?? /^ *Protocol *: *(TLSv[\d.]+)/m.exec(text)?.[1] ?? 'TLS';
  return {
    ok: true,
    value: {
      protocol: protocol.replace('TLSv', 'TLS '),
      leaf: certificateFacts(leaf),
      ...trustIn(chain, trust),
      weak: weakness(leaf),
      suite: /^New, TLSv[\d.]+, Cipher is (\S+)/m.exec(text)?.[1] ?? null,
      speaksTwo: /^ALPN protocol: h2/m.test(text) ? spokeTwo(two) : null,
    },
  };
}

/** A curl without HTTP/2 ends with 2 or 4 (curl(1), EXIT CODES): then nobody knows. */
function spokeTwo(two: string): boolean | null {
  const [exit = '', version = ''] = two.split(' ');
  return exit === '' || exit === '2' || exit === '4' ? null : version.startsWith('2');
}
