/** Whether a network interface is one of a container engine, by how engines name their bridges and virtual ends. A bridge that a person made is none. */
export function isContainerInterface(name: string): boolean {
  return /^(docker\d|docker_gwbridge|br-[0-9a-f]{12}$|veth|podman\d|cni)/.test(name);
}

/**
 * The same as patterns for nft(8), which knows no more than a beginning. They take in a few names more, such as `br-eth0`; those that this
 * machine has are left out one by one.
 */
export const containerPatterns: readonly string[] = [
  'docker*',
  'podman*',
  'veth*',
  'cni*',
  ...[...'0123456789abcdef'].map((digit) => `br-${digit}*`),
];

/** Whether the patterns take in an interface that is none of a container engine. */
export function isLookalike(name: string): boolean {
  return !isContainerInterface(name) && containerPatterns.some((pattern) => name.startsWith(pattern.slice(0, -1)));
}
