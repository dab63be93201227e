import { asksFor, checkOf, checksOf, networksOf } from '../gates/check.ts';
import { wordsAt, type ServiceWord, type ShownDevice } from '../gates/kind.ts';
import ipaddr from 'ipaddr.js';
import { inNetworks } from '../networks/address.ts';
import { admits } from '../networks/admits.ts';
import type { NetworkSet } from '../networks/home.ts';
import { roadToAsk } from '../plan/wildcard-road.ts';
import type { Plan, PlannedRoad } from '../plan/plan.ts';
import { decide } from './decide.ts';
import type { Prepared, Verdict, VerdictRequest } from './verdict.ts';

/** Somebody who comes to the front. @property peer address of the other end of the connection @property word what services say of him that gates ask @property device what his device shows */
export interface Viewpoint {
  label: string;
  peer: string;
  person: string | null;
  knownIn: string[];
  word?: ServiceWord;
  device?: ShownDevice;
}

/** What a viewpoint gets of a road. */
export type Access = 'passes' | 'password' | 'asked' | 'refused' | 'paused' | 'nowhere';

/** One line of the matrix: a road, or the part of it that its gate excepts. */
interface ExposureRow {
  road: string;
  target: string;
  cells: Access[];
}

/** Documentation addresses (RFC 5737, RFC 3849), of which one is in no network of a sound map. */
const strangers = ['203.0.113.77', '198.51.100.77', '192.0.2.77', '2001:db8:ffff::77'];

/** An address that stands for anybody on the internet: none that some gate or the edge knows. */
export function strangerTo({ roads, ports, front }: Plan): string {
  const known = [...[...roads, ...ports].flatMap(({ gate }) => networksOf(gate)), ...(front.edge?.networks ?? [])];
  return strangers.find((address) => !inNetworks(address, known)) ?? '203.0.113.77';
}

/**
 * Who may come: anybody, somebody in each network of each gate, each of the people from anywhere, and the edge.
 *
 * @param people who stands in each password file, by its path @param devices their names, where a gate lets in any of them
 */
export function viewpoints(
  plan: Plan,
  people: ReadonlyMap<string, readonly string[]>,
  devices: readonly string[] = [],
): Viewpoint[] {
  const stranger = strangerTo(plan);
  const gates = new Map<string, NetworkSet>();
  for (const { gate } of [...plan.roads, ...plan.ports]) {
    for (const part of gate.parts) {
      const networks = checkOf(part, 'networks');
      if (networks !== null && !gates.has(part.name)) gates.set(part.name, networks);
    }
  }
  const near = [...gates].flatMap(([name, networks]): Viewpoint[] => {
    const peer = someoneIn(networks);
    return peer === null ? [] : [{ label: name === 'home' ? 'home' : `net ${name}`, peer, person: null, knownIn: [] }];
  });
  const names = [...new Set([...people.values()].flat())];
  const known = names.map((name): Viewpoint => {
    const knownIn = [...people].filter(([, inside]) => inside.includes(name)).map(([file]) => file);
    return { label: name, peer: stranger, person: name, knownIn };
  });
  const edge = plan.front.edge?.networks[0];
  const edgePeer = edge === undefined ? null : someoneIn({ networks: [edge], except: [] });
  return [
    { label: 'internet', peer: stranger, person: null, knownIn: [] },
    ...near,
    ...known,
    ...devicesOf(plan, devices).map((name): Viewpoint => {
      const device = { state: 'good' as const, name };
      return { label: `device ${name}`, peer: stranger, person: null, knownIn: [], device };
    }),
    ...(plan.roads.some(({ gate }) => asksFor(gate, 'asks'))
      ? [{ label: 'signed in', peer: stranger, person: null, knownIn: [], word: { status: 200, told: {} } }]
      : []),
    ...(edgePeer === null ? [] : [{ label: 'the edge', peer: edgePeer, person: null, knownIn: [] }]),
  ];
}

/** Devices that make a difference: those that gates name, and of the others one. */
function devicesOf(plan: Plan, all: readonly string[]): string[] {
  const checks = plan.roads.flatMap(({ gate }) => checksOf(gate, 'devices'));
  if (checks.length === 0) return [];
  const named = [...new Set(checks.flatMap(({ names }) => names ?? []))];
  const other = all.find((one) => !named.includes(one));
  return [...named, ...(other === undefined ? [] : [other])];
}

/** An address in a set of networks; IPv4 rather than IPv6, and loopback only when there is nothing else. */
function someoneIn({ networks, except }: NetworkSet): string | null {
  const ordered = [...networks].sort((a, b) => rank(a) - rank(b));
  for (const network of ordered) {
    const [base, bits] = ipaddr.parseCIDR(network);
    const bytes = base.toByteArray();
    for (const last of [20, 1, 2, 0]) {
      const tried = [...bytes];
      const size = bytes.length * 8;
      if (bits <= size - 8) tried[bytes.length - 1] = last;
      const address = ipaddr.fromByteArray(tried).toString();
      if (inNetworks(address, [network]) && !except.includes(address)) return address;
    }
  }
  return null;
}

function rank(network: string): number {
  if (network.startsWith('127.') || network === '::1/128') return 2;
  return network.includes(':') ? 1 : 0;
}

/** What raw ports are open to whom; a password lets nobody in there. */
export function exposedPorts({ ports }: Plan, from: readonly Viewpoint[]): Array<{ port: string; cells: Access[] }> {
  return ports.map(({ name, gate, to }) => ({
    port: name,
    cells: from.map(({ peer }) => (!admits(gate, peer) ? 'refused' : to === null ? 'nowhere' : 'passes')),
  }));
}

/** What is open to whom: each road, and each path that its gate excepts, against each viewpoint. */
export function exposure(prepared: Prepared, from: readonly Viewpoint[]): ExposureRow[] {
  return prepared.plan.roads.flatMap((road) => {
    const asked = roadToAsk(road, prepared.plan);
    const targets = [...new Set(['/', ...road.gate.parts.flatMap(({ except }) => except)])];
    return targets.map((target) => ({
      road: road.name,
      target,
      cells: from.map((viewpoint) => accessOf(decide(prepared, requestFrom(viewpoint, asked, target)))),
    }));
  });
}

export function requestFrom(
  { peer, person, knownIn, word, device }: Viewpoint,
  road: PlannedRoad,
  target: string,
): VerdictRequest {
  return {
    ...(word === undefined ? {} : { words: wordsAt(road.gate, word) }),
    ...(device === undefined ? {} : { device }),
    listener: 'https',
    sni: road.name,
    host: [road.authority],
    method: road.rules.methods?.[0] ?? 'GET',
    target,
    httpVersion: '1.1',
    peer,
    headers: {},
    person: person ?? 'none',
    knownIn,
    overRate: false,
  };
}

function accessOf(verdict: Verdict): Access {
  if (verdict.act === 'forward' || verdict.act === 'folder') return 'passes';
  if (verdict.act === 'ask') return 'asked';
  if (verdict.act !== 'answer') return 'refused';
  if (verdict.because[0]?.step === 'leads') return verdict.status === 502 ? 'nowhere' : 'passes';
  if (verdict.status === 401) return 'password';
  return verdict.status === 503 ? 'paused' : 'refused';
}
