import ipaddr from 'ipaddr.js';
import type { NetworkSet } from './home.ts';

/** Whether one of `networks` holds every address of `network`. CIDR form; families never match each other. */
export function covering(networks: readonly string[], network: string): boolean {
  const [base, bits] = ipaddr.parseCIDR(network);
  return networks.some((one) => {
    const [wide, wideBits] = ipaddr.parseCIDR(one);
    return wide.kind() === base.kind() && wideBits <= bits && base.match([wide, wideBits]);
  });
}

/** Whether two networks have an address in common. */
export function overlap(a: string, b: string): boolean {
  return covering([a], b) || covering([b], a);
}

/** What several sets of networks have in common; null is in no set. Without a set it is everything, which is said as null. */
export function inAll(sets: ReadonlyArray<NetworkSet | null>): NetworkSet | null {
  const [first, ...others] = sets.map((set) => set ?? { networks: [], except: [] });
  if (first === undefined) return null;
  return others.reduce((one, other) => {
    const narrow = one.networks.filter((network) => covering(other.networks, network));
    const back = other.networks.filter((network) => covering(one.networks, network));
    return { networks: [...new Set([...narrow, ...back])], except: [...new Set([...one.except, ...other.except])] };
  }, first);
}
