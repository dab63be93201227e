import type { InsidePort, Service } from './inventory.ts';

/** Where the programs of a service listen inside its containers, as they run; null when that cannot be seen of all of them. */
export function listeningInside({ containers }: Service): InsidePort[] | null {
  const running = containers.filter(({ state }) => state === 'running');
  const seen = running.flatMap(({ listening }) => listening ?? []);
  return running.length === 0 || running.some(({ listening }) => listening === null) ? null : seen;
}

/** Of those the ports that somebody outside the container reaches, each once, by number. */
export function reachableInside(service: Service): number[] | null {
  const all = listeningInside(service);
  if (all === null) return null;
  return [...new Set(all.flatMap(({ port, isLoopback }) => (isLoopback ? [] : [port])))].sort((a, b) => a - b);
}
