import type { Client } from '../networks/client.ts';
import { inNetworks } from '../networks/address.ts';
import { addressSaid, isListSound } from '../networks/said-address.ts';
import type { Prepared, VerdictRequest } from './verdict.ts';

/**
 * The visitor: the peer, unless the peer is the edge, whose header then tells. The header may hold a list to which each hop adds; it is
 * read from the right, and only what the edge itself wrote is believed. The edge is never the visitor: when its header is missing, is no
 * list of addresses, or ends in what is no address, the visitor is not known (RFC 7239 §6.2, `unknown`).
 */
export function clientOf(
  { peer, headers }: Pick<VerdictRequest, 'peer' | 'headers'>,
  { plan, addressOf }: Pick<Prepared, 'plan' | 'addressOf'>,
): Client {
  const { edge } = plan.front;
  const own = addressOf(peer) ?? peer;
  if (edge === null || !inNetworks(own, edge.networks)) return { known: true, address: own };
  const list = (headers[edge.header] ?? []).join(',');
  const said = isListSound(list) ? list.split(',').reverse() : [];
  for (const text of said) {
    const address = addressSaid(text);
    if (address === null) break;
    if (!inNetworks(address, edge.networks)) return { known: true, address };
  }
  return { known: false, by: own };
}

/** What stands for a visitor where something is counted: himself, or whoever brought him. */
export function countedOf(client: Client): string {
  return client.known ? client.address : client.by;
}

/** What services are told of him (RFC 7239 §6.2): never the edge's address, which some of them trust. */
export function toldOf(client: Client): string {
  return client.known ? client.address : 'unknown';
}

export function isSameClient(one: Client, other: Client): boolean {
  return one.known === other.known && countedOf(one) === countedOf(other);
}
