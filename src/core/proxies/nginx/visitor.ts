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

/** Maps that these refer to. */
export function visitorMaps(plan: Plan): string[] {
  const { client } = visitorIn(plan);
  return [
    comment('An IPv4 address in IPv6 clothes is the IPv4 address (RFC 4291 §2.5.5.2).'),
    ...block('map $remote_addr $mile_marker_client', [
      'default $remote_addr;',
      `${pattern('~*^::ffff:([0-9]+\\.[0-9]+\\.[0-9]+\\.[0-9]+)$')} $1;`,
    ]),
    comment('RFC 7239: an IPv6 address is in brackets and quotes.'),
    ...block(`map ${client} $mile_marker_node`, [`default ${client};`, `${pattern('~:')} "\\"[${client}]\\"";`]),
  ];
}
