import { about, network, oneOrMany } from '../map/schema/words.ts';
import { inNetworks, parseNetwork } from '../networks/address.ts';
import { covering } from '../networks/covering.ts';
import type { NetworkSet } from '../networks/home.ts';
import type { NetworksCheck } from './check.ts';
import { who, type GateKind } from './kind.ts';

/** Visitors are known by where they come from. */
export const networks: GateKind<NetworksCheck, string[]> = {
  kind: 'networks',
  schema: oneOrMany(network, 'a network or a list of networks').meta(
    about('Networks whose visitors may pass.', '[192.168.64.0/24, "fd40:64::/48"]'),
  ),
  noun: 'networks',
  onPorts: true,
  read: (written) => ({ kind: 'networks', networks: written.map((text) => parseNetwork(text) ?? text), except: [] }),
  place: (check) => check,
  passes: (check, { client, isInside }) => isInside(client, check),
  passedWords: (_, facts) => `${who(facts)} is in its networks`,
  refusal: ({ except }, facts) => ({
    answers: { by: 'front', status: 403 },
    words: `${who(facts)} is in none of its networks${except.length === 0 ? '' : ` (${except.join(', ')} does not count)`}`,
  }),
  implies: isWithin,
};

/** Whether one set of networks lies in another. */
export function isWithin(narrow: NetworkSet, wide: NetworkSet): boolean {
  const areIn = narrow.networks.every((network) => covering(wide.networks, network));
  return areIn && wide.except.every((one) => narrow.except.includes(one) || !inNetworks(one, narrow.networks));
}
