import { saidPatterns } from '../../networks/said-address.ts';
import type { Plan } from '../../plan/plan.ts';
import { comment, inLines, quote } from './quote.ts';

/** So many hops of edges behind each other are believed. */
const mostHops = 4;

/** An address behind which a port may stand, as some edges write it. */
const withoutPort = `regsub("^\\[([0-9A-Fa-f:.]+)\\]:[0-9]+$","\\1"),regsub("^([0-9.]+):[0-9]+$","\\1")`;

/** Behind a condition on an address: nobody is in a network of whom the edge does not say who he is. */
export function isKnown({ front: { edge } }: Plan): string {
  return edge === null ? '' : ' !{ var(txn.unknown) -m found }';
}

/**
 * 2. The visitor's own address (RFC 7239 §8.1): what the edge itself wrote is believed, read from the right; what is no address ends it. An IPv4 address in
 * IPv6 clothes is the IPv4 address (RFC 4291 §2.5.5.2).
 */
export function visitorLines({ front: { edge, listen } }: Plan): string[] {
  // Where only IPv4 is listened to, and no edge speaks for others, an address is what haproxy says it is.
  const isIpv4 = edge === null && listen.addresses.every((address) => !address.includes(':'));
  const client = [
    comment('The address of the visitor, for all rules below.'),
    ...(isIpv4
      ? ['http-request set-var(txn.client) src', 'http-request set-var(txn.node) src']
      : [
          `http-request set-var(txn.client) ${quote('src,regsub("^::ffff:([0-9.]+)$","\\1",i)')}`,
          comment('RFC 7239: an IPv6 address is in brackets and quotes.'),
          `http-request set-var-fmt(txn.node) ${quote('%[var(txn.client)]')}`,
          `http-request set-var-fmt(txn.node) ${quote('"[%[var(txn.client)]]"')} if { var(txn.client) -m sub : }`,
        ]),
  ];
  if (edge === null) return client;
  const { list, word } = saidPatterns;
  const goesOn = 'if of-edge !{ var(txn.enough) -m found } !{ var(txn.unknown) -m found }';
  const hop = (back: number): string[] => {
    const said = `req.hdr(${edge.header},-${String(back)})`;
    return [
      `http-request set-var(txn.enough) bool(true) ${goesOn} !{ ${said} -m reg ${quote(`^${word}$`)} }`,
      `http-request set-var(txn.said) ${quote(`${said},${withoutPort}`)} ${goesOn}`,
      // One that only looks like an address ends it, too: what stands before it is the visitor's own.
      `http-request set-var(txn.enough) bool(true) ${goesOn} !{ var(txn.said) -m ip 0.0.0.0/0 ::/0 }`,
      `http-request set-src var(txn.said) ${goesOn} { var(txn.said) -m ip 0.0.0.0/0 ::/0 }`,
    ];
  };
  return [
    comment('The edge in front names the visitor. Of a list, only the part that the edge wrote counts.'),
    ...inLines('acl of-edge src', edge.networks),
    comment('Visitors that the edge does not name: its header is not a list of addresses, or names the edge itself.'),
    `http-request set-var(txn.unknown) bool(true) if of-edge { req.fhdr(${edge.header}) -m reg ${quote(`^(?!${list}$)`)} }`,
    ...Array.from({ length: mostHops }, (_, index) => hop(index + 1)).flat(),
    'http-request set-var(txn.unknown) bool(true) if of-edge',
    ...client,
    'http-request set-var(txn.client) str(unknown) if { var(txn.unknown) -m found }',
    'http-request set-var(txn.node) str(unknown) if { var(txn.unknown) -m found }',
  ];
}
