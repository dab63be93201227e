import type { Plan } from '../../plan/plan.ts';
import { headerCase } from '../header-case.ts';
import { comment, rewrite } from './quote.ts';

/** 2. The visitor's own address (mod_remoteip), believed from the edge only; a port behind it, as some edges write it, is taken away first. */
export function edgeLines({ front: { edge } }: Plan): string[] {
  if (edge === null) return [];
  const header = headerCase(edge.header);
  return [
    comment('Who stands in front says who the visitor is; of a list only what they wrote themselves.'),
    `RequestHeader edit* ${header} "\\[([0-9A-Fa-f:.]+)\\](:[0-9]+)?(?=\\s*(,|$))" "$1" early`,
    `RequestHeader edit* ${header} "\\b([0-9]+(?:\\.[0-9]+){3}):[0-9]+(?=\\s*(,|$))" "$1" early`,
    `RemoteIPHeader ${header}`,
    // Unlike `RemoteIPTrustedProxy`, which believes no address of a private network.
    ...edge.networks.map((network) => `RemoteIPInternalProxy ${network}`),
  ];
}

/** The visitor as headers say it. An IPv4 address in IPv6 clothes is the IPv4 address (RFC 4291 §2.5.5.2). */
export function visitorLines(): string[] {
  return rewrite([['%{REMOTE_ADDR}', '^(?:::ffff:(?=[0-9.]+$))?(.+)$', 'NC']], '-', 'E=mm_client:%1');
}
