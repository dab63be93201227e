import { startEngine, type RunningEngine } from './engine.ts';
import { makeNamespaces, removeNamespaces, removeSwitch, setCable, switchHere } from './network.ts';

/**
 * A cluster of three real nodes, each with a network of its own; the first is the manager.
 *
 * @property address of a node, counted from one
 * @property here address of this machine on their network
 */
export interface RunningCluster {
  engines: RunningEngine[];
  here: string;
  address: (node: number) => string;
  nameOf: (node: number) => string;
  /** The engine's command at the manager. */
  manager: (...argv: string[]) => string;
  setCable: (node: number, to: 'up' | 'down') => void;
  untilRunning: (service: string, count: number) => Promise<void>;
  stop: () => Promise<void>;
}

const worker = Number(process.env['JEST_WORKER_ID'] ?? 1) % 8;

/** Needs root, and `unshare`, `nsenter` and `ip`. */
export async function startCluster(): Promise<RunningCluster> {
  const spaces = [1, 2, 3].map((node) => `mm-node-${String(worker)}-${String(node)}`);
  const net = `10.204.${String(worker)}`;
  const device = `mmb${String(worker)}`;
  const address = (node: number): string => `${net}.${String(node)}`;
  const nameOf = (node: number): string => `marsh${String(node)}`;
  makeNamespaces(spaces);
  const there = Object.fromEntries(spaces.map((one, index) => [one, address(index + 1)]));
  switchHere(device, { here: `${net}.254`, there });
  const engines: RunningEngine[] = [];
  for (const [index, space] of spaces.entries()) {
    const pool = `172.31.${String(worker * 4 + index)}.0/24`;
    const bridge = `172.30.${String(worker * 4 + index)}.1/24`;
    engines.push(await startEngine(2376, space, address(index + 1), { name: nameOf(index + 1), bridge, pool }));
  }
  const [first, ...others] = engines;
  const manager = (...argv: string[]): string => first?.docker(...argv) ?? '';
  const own = ['--advertise-addr', address(1), '--listen-addr', `${address(1)}:2377`];
  manager(
    'swarm',
    'init',
    ...own,
    '--default-addr-pool',
    `10.205.${String(worker)}.0/24`,
    '--default-addr-pool-mask-length',
    '27',
  );
  const token = manager('swarm', 'join-token', '-q', 'worker').trim();
  for (const [index, engine] of others.entries())
    engine.docker('swarm', 'join', '--token', token, '--advertise-addr', address(index + 2), `${address(1)}:2377`);
  return {
    ...{ engines, address, nameOf, manager, here: `${net}.254` },
    setCable: (node, to) => setCable(spaces[node - 1] ?? '', to),
    untilRunning: (service, count) => untilRunning(manager, service, count),
    stop: async () => {
      for (const engine of engines.reverse()) await engine.stop();
      removeNamespaces(spaces);
      removeSwitch(device);
    },
  };
}

async function untilRunning(manager: RunningCluster['manager'], service: string, count: number): Promise<void> {
  const ask = ['service', 'ps', '--filter', 'desired-state=running', '--format', '{{.CurrentState}}', service];
  for (let tries = 0; tries < 240; tries += 1) {
    const running = manager(...ask).split('\n');
    if (running.filter((line) => line.startsWith('Running')).length === count) return;
    await new Promise((resolve) => setTimeout(resolve, 250));
  }
  throw new Error(manager('service', 'ps', '--no-trunc', service));
}
