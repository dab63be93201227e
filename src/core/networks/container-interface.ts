/** Whether a network interface is one of a container engine, by how engines name their bridges and virtual ends. A bridge that a person made is none. */
export function isContainerInterface(name: string): boolean {
  return /^(docker\d|docker_gwbridge|br-[0-9a-f]{12}$|veth|podman\d|cni)/.test(name);
}
