import { saidPatterns } from '../../networks/said-address.ts';
import type { Plan } from '../../plan/plan.ts';
import { headerCase } from '../header-case.ts';
import { comment, rewrite } from './quote.ts';

/**
 * 2. The visitor's own address (mod_remoteip), believed from the edge only; a port behind it, as some edges write it, is taken away first.
 * What is no address must not reach mod_remoteip, which asks DNS for it and knows short forms: up to the last such word the list becomes an
 * address of the edge, who is never the visitor.
 */
export function edgeLines({ front: { edge } }: Plan): string[] {
  const [own] = edge?.networks ?? [];
  if (edge === null || own === undefined) return [];
  const header = headerCase(edge.header);
  const { list, word } = saidPatterns;
  const nobody = own.replace(/\/.*$/, '');
  return [
    comment('The edge in front names the visitor. Of a list, only the part that the edge wrote counts.'),
    `RequestHeader edit ${header} "^(?!${list}$).*$" "${nobody}" early`,
    `RequestHeader edit ${header} "^(?:.*,)?(?![ \\t]*${word}[ \\t]*(?:,|$))[^,]*" "${nobody}" early`,
    `RequestHeader edit* ${header} "\\[([0-9A-Fa-f:.]+)\\](:[0-9]+)?(?=\\s*(,|$))" "$1" early`,
    `RequestHeader edit* ${header} "\\b([0-9]+(?:\\.[0-9]+){3}):[0-9]+(?=\\s*(,|$))" "$1" early`,
    `RemoteIPHeader ${header}`,
    // Unlike `RemoteIPTrustedProxy`, which believes no address of a private network.
    ...edge.networks.map((network) => `RemoteIPInternalProxy ${network}`),
  ];
}

/** The visitor as headers say it. An IPv4-mapped IPv6 address counts as the IPv4 address (RFC 4291 §2.5.5.2). */
export function visitorLines({ front: { edge } }: Plan): string[] {
  return [
    ...rewrite([['%{REMOTE_ADDR}', '^(?:::ffff:(?=[0-9.]+$))?(.+)$', 'NC']], '-', 'E=mm_client:%1'),
    ...(edge === null
      ? []
      : [
          comment('A visitor that the edge does not name counts as in no network.'),
          `RewriteCond expr "${isIn(edge.networks)}"`,
          'RewriteRule ^ - [E=mm_client:unknown,E=mm_unknown:1]',
        ]),
  ];
}

/** An expression for whether the visitor's address is in one of these (ap_expr, `-R`). */
export function isIn(networks: readonly string[]): string {
  return networks.map((one) => `-R '${one}'`).join(' || ');
}
