import { card, tell } from '../findings/card.ts';
import type { Finding } from '../findings/finding.ts';
import type { PublishedPort, Service } from '../inventory/inventory.ts';
import { familyOf } from '../networks/address.ts';
import type { Facts, Rule } from './rule.ts';

const source = 'Compose Specification, section "ports"; bind(2): EADDRINUSE';

const twoOwners = card({
  id: 'port-two-owners',
  severity: 'error',
  summary: 'Two services publish the same port of this host.',
  why: 'Only one of them can have it; the other does not start, and a road may lead to the wrong one.',
  source,
  messages: {
    two: {
      message: '`{service}` and `{other}` both publish port {port} of this host.',
      remedy: 'Give one of them another outside port: - "127.0.0.1:{free}:{inside}"',
    },
  },
});

const frontTaken = card({
  id: 'front-port-taken',
  severity: 'error',
  summary: 'A service publishes the port on which the front itself must listen.',
  why: 'Two programs cannot share a port: the front does not start while the service has it.',
  source,
  messages: {
    taken: {
      message: '`{service}` publishes port {port} of this host, which the front needs for {listener}.',
      remedy: 'Move it to another outside port: - "127.0.0.1:{free}:{inside}"; visitors reach it through its road.',
    },
  },
});

interface Owner {
  service: Service;
  port: PublishedPort & { hostPort: number };
}

/** Everything that is published under a fixed number, in the order of the Compose files. */
function owners({ inventory }: Facts): Owner[] {
  return inventory.services.flatMap((service) =>
    service.published.flatMap((port) =>
      port.hostPort === null || port.protocol !== 'tcp'
        ? []
        : [{ service, port: { ...port, hostPort: port.hostPort } }],
    ),
  );
}

/** Whether two bindings of one port number exclude each other: equal addresses, or one of them all of its family. */
function collide(a: string | null, b: string | null): boolean {
  if (a === null || b === null) return true;
  const all = (address: string): boolean => address === '0.0.0.0' || address === '::';
  return a === b || (familyOf(a) === familyOf(b) && (all(a) || all(b)));
}

/** The next number from 8000 on that nothing of the map or the Compose files has. */
function freePort(facts: Facts): number {
  const { listen, mark } = facts.plan.front;
  const dialled = facts.map.roads.flatMap(({ leads }) => (leads.kind === 'port' ? [leads.port] : []));
  const taken = new Set([
    listen.http,
    listen.https,
    mark.port,
    ...dialled,
    ...owners(facts).map(({ port }) => port.hostPort),
  ]);
  let port = 8000;
  while (taken.has(port)) port += 1;
  return port;
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
            collide(one.port.hostAddress, port.hostAddress),
        );
      if (before === undefined) return [];
      const { hostPort, containerPort, where } = port;
      const data = {
        service: service.name,
        other: before.service.name,
        port: hostPort,
        inside: containerPort,
        free: freePort(facts),
      };
      return [tell(twoOwners, { say: 'two', data, where, cause: `host-port:${String(hostPort)}` })];
    });
  },
};

export const frontPortTaken: Rule = {
  card: frontTaken,
  check: (facts) => {
    const { listen } = facts.plan.front;
    return owners(facts).flatMap(({ service, port }): Finding[] => {
      const listener = (['http', 'https'] as const).find((one) => listen[one] === port.hostPort);
      if (listener === undefined || !listen.addresses.some((address) => collide(address, port.hostAddress))) return [];
      const { hostPort, containerPort, where } = port;
      const data = { service: service.name, port: hostPort, listener, inside: containerPort, free: freePort(facts) };
      return [tell(frontTaken, { say: 'taken', data, where, cause: `front-port:${String(hostPort)}` })];
    });
  },
};
