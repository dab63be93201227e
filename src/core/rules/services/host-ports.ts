import { card, tell } from '../../findings/card.ts';
import type { Finding, Place } from '../../findings/finding.ts';
import {
  isRunning,
  servicesHere,
  titleOf,
  type ListeningSocket,
  type PublishedPort,
  type Service,
} from '../../inventory/inventory.ts';
import { loopbackEntry, portEnding } from '../../inventory/on-loopback.ts';
import { nextFree, ownerWords, portLedger } from '../../inventory/ledger.ts';
import { hostPortsOf } from '../../map/parts.ts';
import type { Protocol } from '../../map/site-map.ts';
import type { Plan } from '../../plan/plan.ts';
import type { ProxyProgram } from '../../proxies/program.ts';
import { allPrograms, programOf } from '../../proxies/programs.ts';
import { familyOf } from '../../networks/address.ts';
import { collide } from '../../networks/collide.ts';
import type { Facts, Rule } from '../rule.ts';

const source = 'Compose Specification, section "ports"; bind(2): EADDRINUSE';

const twoOwners = card({
  id: 'port-two-owners',
  severity: 'error',
  summary: 'Two services publish the same port of this machine.',
  why: 'Only one of them gets it. The other does not start, and a road may lead to the wrong one.',
  source,
  messages: {
    two: {
      message: '`{service}` and `{other}` both publish port {port} of this machine.',
      remedy: 'Give one of them another outside port: {entry}',
    },
  },
});

const frontTaken = card({
  id: 'front-port-taken',
  severity: 'error',
  summary: 'Another program uses a port that the front needs.',
  why: 'Two programs cannot share a port. The front does not start while the other one runs.',
  source,
  messages: {
    taken: {
      message: '`{service}` publishes port {port} of this machine, which the front needs for {listener}.',
      remedy: 'Move it to another outside port: {entry}. Visitors reach it through its road.',
    },
    program: {
      message: '{owner} listens on port {port} of this machine, which the front needs for {listener}.',
      remedy:
        'Move that program to another port, such as {free}, or stop it, or give the front other ports with `front.listen`.',
    },
    proxy: {
      message: '{owner} listens on port {port} of this machine, which the front needs for {listener}.',
      remedy:
        'If it is to be the front, write in the map: `proxy: {proxy}`. If not, stop it, or give the front other ports with `front.listen`.',
    },
    own: {
      message: '`{key}` is the port of the front itself, for {listener}.',
      remedy: 'Write another port there. A service that speaks HTTP needs a road, not a raw port.',
    },
    mark: {
      message: '{owner} listens on port {port} of this machine, on which the front answers its mark.',
      remedy: 'Write another port in the map, such as: `front.mark: {address}:{free}`',
    },
    former: {
      message: '{owner} is the front now, but the map says `proxy: {proxy}`.',
      remedy:
        'Stop it as soon as the new one is ready to start. Visitors notice a short break. To keep it as the front, correct `proxy` in the map.',
    },
  },
});

interface Owner {
  service: Service;
  port: PublishedPort & { hostPort: number };
}

/**
 * Everything that is published under a fixed number, as declared and as it runs. What neither runs nor is declared to
 * start by itself (a profile, a stopped container of no Compose file) takes no port from anyone.
 */
function owners({ inventory, front, host, former }: Facts): Owner[] {
  return servicesHere(inventory).flatMap((service) => {
    if (service === front.service) return [];
    if (service.containers.some(({ name }) => name === former?.container?.name)) return [];
    const { declared, published, profiles } = service;
    const here = published.filter((port) => !isOfAnotherNode(service, port, host));
    const ports = isRunning(service) ? here : profiles.length === 0 ? (declared?.published ?? []) : [];
    return ports.flatMap((port) =>
      port.hostPort === null ? [] : [{ service, port: { ...port, hostPort: port.hostPort } }],
    );
  });
}

function isOfAnotherNode({ cluster }: Service, { hostAddress }: PublishedPort, { addresses }: Facts['host']): boolean {
  return cluster !== null && hostAddress !== null && !addresses.some(({ address }) => address === hostAddress);
}

/** The next number from 8000 on that nobody has. */
function freePort({ plan, map, inventory, sockets }: Facts, from = 8000): number {
  const rows = portLedger({
    front: plan.front,
    rawPorts: plan.ports,
    roadPorts: hostPortsOf(map),
    services: servicesHere(inventory),
    sockets,
  });
  return nextFree(rows, from) ?? 0;
}

export const portTwoOwners: Rule = {
  card: twoOwners,
  check: (facts) => {
    const all = owners(facts);
    return all.flatMap(({ service, port }, index): Finding[] => {
      const before = all
        .slice(0, index)
        .find(
          (one) =>
            one.service !== service &&
            one.port.hostPort === port.hostPort &&
            one.port.protocol === port.protocol &&
            collide(one.port.hostAddress, port.hostAddress),
        );
      if (before === undefined) return [];
      const { hostPort, containerPort, protocol, where } = port;
      const data = {
        service: service.name,
        other: before.service.name === service.name ? titleOf(before.service) : before.service.name,
        port: hostPort,
        entry: loopbackEntry(service, freePort(facts), containerPort, protocol),
      };
      const cause = `host-port:${String(hostPort)}${portEnding(protocol)}`;
      return [tell(twoOwners, { say: 'two', data, where, cause })];
    });
  },
};

export const frontPortTaken: Rule = {
  card: frontTaken,
  check: (facts) => [...takenByItself(facts), ...takenByService(facts), ...takenByProgram(facts), ...takenMark(facts)],
};

/** A port on which the front listens: for http, https, or what is passed on raw. */
interface Listener {
  listener: string;
  port: number;
  protocol: Protocol;
  where: Place;
}

function listenersOf({ front: { listen, where }, ports }: Plan): Listener[] {
  return [
    { listener: 'http', port: listen.http, protocol: 'tcp', where },
    { listener: 'https', port: listen.https, protocol: 'tcp', where },
    ...ports.map(({ name, port, protocol, where: ofPort }) => ({ listener: name, port, protocol, where: ofPort })),
  ];
}

function takenByItself({ plan }: Facts): Finding[] {
  const { listen, mark } = plan.front;
  const own = new Map([
    [mark.port, 'its mark'],
    [listen.http, 'HTTP'],
    [listen.https, 'HTTPS'],
  ]);
  return plan.ports.flatMap(({ name: key, port, protocol, where }) => {
    const listener = protocol === 'tcp' ? own.get(port) : undefined;
    return listener === undefined
      ? []
      : [tell(frontTaken, { say: 'own', data: { key, listener }, roads: [key], where })];
  });
}

/** The mark's port, where it is held by a program that is no front of ours. One that may not be seen is most likely the front itself. */
function takenMark(facts: Facts): Finding[] {
  const { plan, sockets } = facts;
  const { address, port } = plan.front.mark;
  const isThere = (one: ListeningSocket): boolean => one.protocol === 'tcp' && one.port === port;
  const holder = sockets.find(
    (one) => isThere(one) && collide(one.address, address) && (one.owners.length > 0 || isForeign(one, facts)),
  );
  if (holder === undefined) return [];
  if (!isForeign(holder, facts) && holder.owners.some(({ name }) => mayHoldMark(name, facts))) return [];
  if (!isForeign(holder, facts) && isFormer(holder, facts)) return [];
  const { proxy, listen } = plan.front;
  const pids = new Set(holder.owners.map(({ pid }) => pid));
  const isAtFront = sockets.some(
    (one) => (one.port === listen.http || one.port === listen.https) && one.owners.some(({ pid }) => pids.has(pid)),
  );
  const data = { owner: capital(holderWords(holder)), port, address, free: freePort(facts, port + 1), proxy };
  return [
    tell(frontTaken, {
      say: isAtFront ? 'former' : 'mark',
      data,
      where: plan.front.where,
      cause: `front-mark:${String(port)}`,
    }),
  ];
}

/** Made by a user who has nothing to do with the map, whatever his program calls itself. What a container publishes is its engine's. */
function isForeign({ stranger }: ListeningSocket, { plan }: Facts): boolean {
  return stranger !== undefined && plan.front.container === null;
}

function holderWords({ owners: holders, stranger }: ListeningSocket): string {
  if (stranger === undefined) return ownerWords(holders);
  const [first] = holders;
  return first === undefined
    ? `a program of the user ${String(stranger)}`
    : `${ownerWords(holders)} of the user ${String(stranger)}`;
}

/** Whether it is the front that is live and gives way to the one that the map wants: that is done by `install`, and no fault. */
function isFormer({ owners: holders }: ListeningSocket, { former, sockets }: Facts): boolean {
  if (former === null) return false;
  if (former.container !== null) return holders.every(({ name }) => /docker|rootlessport/.test(name));
  const program = programOf(former.proxy);
  if (program.units.length > 0) return holders.some(({ name }) => isProcessOf(program, name));
  // One that is part of this program is known by its mark alone.
  const { address, port } = former.mark;
  const marks = sockets.filter((one) => one.protocol === 'tcp' && one.port === port && collide(one.address, address));
  const pids = new Set(marks.flatMap(({ owners: held }) => held.map(({ pid }) => pid)));
  return holders.some(({ pid }) => pids.has(pid));
}

/** The map's own server program, and what `serve` runs as; the engine's helper where the front is in a container. */
function mayHoldMark(name: string, { plan, front }: Facts): boolean {
  const { proxy } = plan.front;
  const isServe = proxy === 'builtin' && /^(node|mile-marker|MainThread)$/.test(name);
  return (
    isProcessOf(programOf(proxy), name) || isServe || (front.kind === 'container' && /docker|rootlessport/.test(name))
  );
}

function takenByService(facts: Facts): Finding[] {
  const { listen } = facts.plan.front;
  return owners(facts).flatMap(({ service, port }): Finding[] => {
    const wanted = listenersOf(facts.plan).find((one) => one.port === port.hostPort && one.protocol === port.protocol);
    if (wanted === undefined || !listen.addresses.some((address) => collide(address, port.hostAddress))) return [];
    const { hostPort, containerPort, protocol, where } = port;
    const entry = loopbackEntry(service, freePort(facts), containerPort, protocol);
    const data = { service: service.name, port: hostPort, listener: wanted.listener, entry };
    const cause = `front-port:${String(hostPort)}${portEnding(protocol)}`;
    return [tell(frontTaken, { say: 'taken', data, where, cause })];
  });
}

function takenByProgram(facts: Facts): Finding[] {
  const { plan, sockets } = facts;
  const byContainer = owners(facts).map(({ port }) => port);
  return listenersOf(plan).flatMap(({ listener, port, protocol, where }): Finding[] => {
    if (byContainer.some((one) => one.hostPort === port && one.protocol === protocol)) return [];
    const holder = sockets.find(
      (socket) => socket.protocol === protocol && socket.port === port && meets(socket, facts),
    );
    if (holder === undefined) return [];
    if (!isForeign(holder, facts) && (isTheFront(holder, facts) || isFormer(holder, facts))) return [];
    const data = { owner: capital(holderWords(holder)), port, listener, free: freePort(facts) };
    const other = allPrograms.find((program) => holder.owners.some(({ name }) => isProcessOf(program, name)));
    const about = { where, cause: `front-port:${String(port)}${portEnding(protocol)}` };
    if (other !== undefined && other.renderer !== null && plan.front.container === null)
      return [tell(frontTaken, { say: 'proxy', data: { ...data, proxy: other.name }, ...about })];
    return [tell(frontTaken, { say: 'program', data, ...about })];
  });
}

function meets({ address, family }: ListeningSocket, { plan }: Facts): boolean {
  return plan.front.listen.addresses.some((one) => familyOf(one) === family && collide(address, one));
}

/**
 * Whether this socket is the front itself: the same processes hold the edition mark, or it is the map's own server
 * program. The engine's helper holds the ports of a front that runs in a container.
 */
function isTheFront(holder: ListeningSocket, { plan, sockets, front }: Facts): boolean {
  const { mark, proxy } = plan.front;
  const marks = sockets.filter(({ port, protocol }) => port === mark.port && protocol === 'tcp');
  const pids = new Set(marks.flatMap(({ owners: held }) => held.map(({ pid }) => pid)));
  if (holder.owners.some(({ pid, name }) => pids.has(pid) || isProcessOf(programOf(proxy), name))) return true;
  // Nobody lets us see who it is, and our mark is there too: then it is most likely ours.
  if (holder.owners.length === 0 && marks.length > 0) return true;
  return front.service !== null && holder.owners.every(({ name }) => /docker|rootlessport/.test(name));
}

/** Packages call a program by its own name or as its unit. */
function isProcessOf({ name, units }: Pick<ProxyProgram, 'name' | 'units'>, process: string): boolean {
  return process === name || units.includes(process);
}

/** At the head of a sentence; the name of a program stays as it is. */
function capital(text: string): string {
  return text.startsWith('a ') ? `A${text.slice(1)}` : text;
}
