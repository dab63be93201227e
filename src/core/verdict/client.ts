import { inNetworks, parseAddress } from '../networks/address.ts';
import type { Prepared, VerdictRequest } from './verdict.ts';

/**
 * The visitor's own address: the peer's, unless the peer is the edge, whose header then tells. The header may hold a list to which
 * each hop adds; it is read from the right, and only what the edge itself wrote is believed. What is no address is not believed
 * either. Comparable form where it is an address.
 */
export function clientOf(
  { peer, headers }: Pick<VerdictRequest, 'peer' | 'headers'>,
  { plan, addressOf }: Pick<Prepared, 'plan' | 'addressOf'>,
): string {
  const { edge } = plan.front;
  let client = addressOf(peer) ?? peer;
  if (edge === null) return client;
  const said = (headers[edge.header] ?? []).join(',').split(',');
  while (said.length > 0 && parseAddress(client) !== null && inNetworks(client, edge.networks)) {
    const next = addressIn((said.pop() ?? '').trim());
    if (next === null) break;
    client = next;
  }
  return client;
}

/** An address, or one with a port behind it, as some write it. */
function addressIn(text: string): string | null {
  const [, v6, v4] = /^\[([0-9a-fA-F:.]+)\](?::\d+)?$|^([\d.]+):\d+$/.exec(text) ?? [];
  return parseAddress(v6 ?? v4 ?? text);
}
