import type { Attempt } from '../../core/legs/answer.ts';
import { notSeen } from '../../core/look/seen.ts';
import type { SeenHandshake } from '../../core/look/seen.ts';
import type { WeakSuite } from '../../core/legs/tls/weak-suites.ts';
import { certificateFacts, inOrder, pemBlocks, readableChain, weakness } from '../certificates/read.ts';
import { trustIn } from '../certificates/trust.ts';
import { alertWords, brokenOn } from '../probe/failure.ts';
import type { Shaken, Trust } from '../probe/handshake.ts';
import { textOf } from './text.ts';

/** What openssl-s_client(1) wrote down of a handshake. */
export function shakenOf({ bytes, two }: SeenHandshake, trust: Trust): Attempt<Shaken> {
  const text = textOf(bytes);
  const chain = readableChain(pemBlocks(text));
  if (chain === null) return { ok: false, failure: { kind: 'broken', reason: 'the certificate cannot be read' } };
  const [leaf] = chain;
  if (leaf === undefined) {
    // It says so as soon as there is a connection (openssl-s_client(1)).
    if (!text.includes('CONNECTED(')) return { ok: false, failure: notSeen };
    const because = brokenOn(text);
    const failure = { kind: 'broken', reason: alertWords(text) ?? 'there was no handshake' } as const;
    return { ok: false, failure: because === null ? failure : { ...failure, because } };
  }
  const protocol = /^New, (TLSv[\d.]+)/m.exec(text)?.[1] ?? /^ *Protocol *: *(TLSv[\d.]+)/m.exec(text)?.[1] ?? 'TLS';
  return {
    ok: true,
    value: {
      protocol: protocol.replace('TLSv', 'TLS '),
      leaf: certificateFacts(leaf),
      ...trustIn(chain, trust),
      chainDates: chain.slice(1).map(certificateFacts),
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

/** The old version of TLS that was taken, from `PROTOCOL SUITE` as openssl-s_client(1) names them; null: none. */
export function oldProtocolOf(old: string): string | null {
  const [protocol = '', suite = '0000'] = old.split(' ');
  const isTaken = /^TLSv1(\.1)?$/.test(protocol) && !/^0000$|^\(?NONE\)?$/.test(suite);
  return isTaken ? protocol.replace('TLSv', 'TLS ').replace(/ 1$/, ' 1.0') : null;
}

/** The weak suite that was taken, from `PROTOCOL SUITE` as openssl-s_client(1) names them; null: none. */
export function weakSuiteOf(weak: string): WeakSuite | null {
  const [protocol = '', suite = '0000'] = weak.split(' ');
  if (protocol !== 'TLSv1.2' || /^0000$|^\(?NONE\)?$/.test(suite)) return null;
  return { name: suite, hasSecrecy: /^(EC)?DHE-/.test(suite) && !/3DES|DES-CBC3|RC4/.test(suite) };
}

/** Whether each certificate that was sent signs the one before it; null when none came or one cannot be read. */
export function chainOf(bytes: string): boolean | null {
  const chain = readableChain(pemBlocks(textOf(bytes)));
  return chain === null || chain.length === 0 ? null : inOrder(chain);
}
