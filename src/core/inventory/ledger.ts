import { byUnits } from '../by-units.ts';
import type { Plan } from '../plan/plan.ts';
import { titleOf, type ListeningSocket, type Service } from './inventory.ts';

/** Who has a port. `front`: for http, https, or a raw port such as `8883/tcp`. `hidden`: a program that only root may see. */
type PortOwner =
  | { kind: 'front'; listener: string }
  | { kind: 'mark' }
  | { kind: 'service'; service: string }
  | { kind: 'road'; road: string }
  | { kind: 'processes'; processes: ListeningSocket['owners'] }
  | { kind: 'hidden' };

/**
 * Who has, or will have, a port of this machine, or of a machine of the map.
 *
 * @property machine its name; null for this machine
 * @property address null for all addresses
 * @property source where that is known from
 */
export interface LedgerRow {
  machine: string | null;
  port: number;
  protocol: 'tcp' | 'udp';
  address: string | null;
  owner: PortOwner;
  source: 'map' | 'compose' | 'container' | 'socket';
}

interface LedgerInput {
  /** Null when there is no map yet. */
  front: Plan['front'] | null;
  /** Raw ports of the map. */
  rawPorts: Plan['ports'];
  /** Ports of this machine that roads lead to, with the road's name. */
  roadPorts: ReadonlyArray<{ port: number; protocol: 'tcp' | 'udp'; road: string }>;
  services: readonly Service[];
  sockets: readonly ListeningSocket[];
}

/** Every port of this machine that somebody has or wants, by number. What a container has is not told again as a socket. */
export function portLedger({ front, rawPorts, roadPorts, services, sockets }: LedgerInput): LedgerRow[] {
  const rows = [...frontRows(front), ...rawPorts.map(rawRow), ...services.flatMap(serviceRows)];
  for (const { port, protocol, road } of roadPorts) {
    rows.push({ machine: null, port, protocol, address: null, owner: { kind: 'road', road }, source: 'map' });
  }
  for (const { protocol, port, address, owners } of sockets) {
    const known = rows.some(
      (row) => row.machine === null && row.port === port && row.protocol === protocol && row.source === 'container',
    );
    // The engine holds a socket for every port that it publishes.
    if (known && (owners.length === 0 || owners.every(({ name }) => /docker|rootlessport|pasta|slirp/.test(name))))
      continue;
    const owner: PortOwner = owners.length === 0 ? { kind: 'hidden' } : { kind: 'processes', processes: owners };
    rows.push({ machine: null, port, protocol, address, owner, source: 'socket' });
  }
  return unique(rows).sort(
    (a, b) => byUnits(a.machine ?? '', b.machine ?? '') || a.port - b.port || (a.protocol < b.protocol ? -1 : 1),
  );
}

function frontRows(front: Plan['front'] | null): LedgerRow[] {
  if (front === null) return [];
  const { listen, mark } = front;
  const row = (port: number, address: string | null, owner: PortOwner): LedgerRow => ({
    machine: null,
    port,
    protocol: 'tcp',
    address,
    owner,
    source: 'map',
  });
  return [
    row(listen.http, null, { kind: 'front', listener: 'http' }),
    row(listen.https, null, { kind: 'front', listener: 'https' }),
    row(mark.port, mark.address, { kind: 'mark' }),
  ];
}

function rawRow({ name, port, protocol }: Plan['ports'][number]): LedgerRow {
  return { machine: null, port, protocol, address: null, owner: { kind: 'front', listener: name }, source: 'map' };
}

function serviceRows(service: Service): LedgerRow[] {
  const { published, declared, containers, cluster } = service;
  // Of a cluster each port is one of the node that has the task.
  const machineOf = (address: string | null): string | null =>
    cluster?.nodes.find((node) => node.address === address)?.name ?? service.machine;
  const running = containers.some(({ state }) => state === 'running');
  const owner: PortOwner = { kind: 'service', service: titleOf(service) };
  const rowsOf = (ports: Service['published'], source: LedgerRow['source']): LedgerRow[] =>
    ports.flatMap(({ hostPort, hostAddress: address, protocol }) =>
      hostPort === null ? [] : [{ machine: machineOf(address), port: hostPort, protocol, address, owner, source }],
    );
  const live = running ? rowsOf(published, 'container') : [];
  const written = rowsOf(declared?.published ?? [], 'compose');
  const isLive = ({ port, protocol }: LedgerRow): boolean =>
    live.some((row) => row.port === port && row.protocol === protocol);
  return [...live, ...written.filter((row) => !isLive(row))];
}

/** For people. */
export function ownerText(owner: PortOwner): string {
  switch (owner.kind) {
    case 'front':
      return `the front, ${owner.listener}`;
    case 'mark':
      return 'the edition mark';
    case 'service':
      return owner.service;
    case 'road':
      return `a program for ${owner.road}`;
    case 'processes':
      return ownerWords(owner.processes);
    case 'hidden':
      return ownerWords([]);
  }
}

export function ownerWords(owners: ListeningSocket['owners']): string {
  const [first] = owners;
  if (first === undefined) return 'a program that only root may see';
  return `${first.name} (process ${String(first.pid)})`;
}

function unique(rows: readonly LedgerRow[]): LedgerRow[] {
  const seen = new Map(
    rows.map((row) => [JSON.stringify([row.machine, row.port, row.protocol, row.address, row.owner]), row]),
  );
  return [...seen.values()];
}

/** The next TCP port from `from` on that nobody has, or null when there is none left. */
export function nextFree(rows: readonly LedgerRow[], from: number): number | null {
  const own = rows.filter(({ protocol, machine }) => protocol === 'tcp' && machine === null);
  const taken = new Set(own.map(({ port }) => port));
  for (let port = from; port <= 65_535; port += 1) if (!taken.has(port)) return port;
  return null;
}
