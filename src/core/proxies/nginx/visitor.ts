import { type GatePart, checkOf } from '../../gates/check.ts';
import { saidPatterns } from '../../networks/said-address.ts';
import type { Plan } from '../../plan/plan.ts';
import { block, comment, pattern } from './quote.ts';

/**
 * How the visitor's address is written, in headers of its own and as a node of RFC 7239. Where only IPv4 is listened to and no edge speaks for
 * others, an address is what nginx says it is, and no request is held up by looking at it. An IPv6 listener takes no IPv4 (`listen`, ipv6only).
 */
export function visitorIn({ front: { edge, listen } }: Pick<Plan, 'front'>): { client: string; node: string } {
  if (edge !== null) return { client: '$mile_marker_client', node: '$mile_marker_node' };
  const isIpv4 = listen.addresses.every((address) => !address.includes(':'));
  return { client: '$remote_addr', node: isIpv4 ? '$remote_addr' : '$mile_marker_node' };
}

/** Whether a part of a gate must tell visitors who are known from those of whom the edge says nothing. */
export function asksWhoItIs({ front: { edge } }: Plan, part: GatePart): boolean {
  return edge !== null && checkOf(part, 'networks') !== null;
}

/** Behind the name of a location: nothing, or `_unknown` for a visitor who is not known. */
export const unknownSuffix = '$mile_marker_unknown';

/** Maps that these refer to. */
export function visitorMaps(plan: Plan): string[] {
  const { edge } = plan.front;
  const { client } = visitorIn(plan);
  return [
    comment('An IPv4-mapped IPv6 address counts as the IPv4 address (RFC 4291 §2.5.5.2).'),
    ...block(`map $remote_addr $mile_marker_${edge === null ? 'client' : 'address'}`, [
      'default $remote_addr;',
      `${pattern('~*^::ffff:([0-9]+\\.[0-9]+\\.[0-9]+\\.[0-9]+)$')} $1;`,
    ]),
    ...(edge === null ? [] : unknownMaps(edge)),
    comment('RFC 7239: an IPv6 address is in brackets and quotes.'),
    ...block(`map ${client} $mile_marker_node`, [`default ${client};`, `${pattern('~:')} "\\"[${client}]\\"";`]),
  ];
}

/**
 * Of whom the edge does not say who he is: what it wrote is no list of addresses, or leads to the edge itself. nginx alone would take the
 * edge for the visitor, and passes over commas and blanks.
 */
function unknownMaps({ networks, header }: NonNullable<Plan['front']['edge']>): string[] {
  const within = networks.map((network) => `${network} 1;`);
  const { list, word } = saidPatterns;
  return [
    comment('A visitor that the edge brings but does not name counts as in no network.'),
    ...block('geo $realip_remote_addr $mile_marker_brought', ['default "";', ...within]),
    ...block('geo $mile_marker_is_edge', ['default "";', ...within]),
    ...block(`map $http_${header.replace(/-/g, '_')} $mile_marker_said`, [
      'default "";',
      `${pattern(`~^(?=${list}$)(?:.*,)?[ \\t]*${word}[ \\t]*$`)} 1;`,
    ]),
    ...block(`map "$mile_marker_brought:$mile_marker_is_edge:$mile_marker_said" ${unknownSuffix}`, [
      'default "";',
      `${pattern('~^1:(?:1:.*|:)$')} _unknown;`,
    ]),
    ...block(`map ${unknownSuffix} $mile_marker_client`, ['default $mile_marker_address;', '_unknown unknown;']),
  ];
}
