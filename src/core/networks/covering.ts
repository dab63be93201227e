import ipaddr from 'ipaddr.js';

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
