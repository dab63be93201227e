import { card, tell } from '../../findings/card.ts';
import type { Evidence } from '../../findings/finding.ts';
import { loopbackEntry, portEnding } from '../../inventory/on-loopback.ts';
import type { Inventory, Service } from '../../inventory/inventory.ts';
import { inUrl } from '../../networks/address.ts';
import type { Protocol } from '../../map/site-map.ts';
import { leadsOnMap } from '../on-roads.ts';
import type { Rule } from '../rule.ts';

const words = card({
  id: 'port-not-published',
  severity: 'error',
  summary: 'A road leads to a port of a service that is not published on this machine.',
  why: 'The proxy runs on the host, outside the container network, so it reaches only published ports.',
  source: 'Compose Specification, section "ports"',
  messages: {
    outside: {
      message: '{port} is the outside port of `{service}`. Inside the container it listens on {inside}.',
      remedy: 'Write `to: {service}:{inside}`.',
    },
    other: {
      message: '`{service}` does not publish its port {port}. It publishes {published}.',
      remedy: 'Write one of these after `{service}:`. Or add under its `ports`: {entry}',
    },
    none: {
      message: '`{service}` publishes no port, so the proxy cannot reach its port {port}.',
      remedy:
        'Add to the service: ports: ["127.0.0.1:{port}:{port}{ending}"] (in the middle, any free port of this machine).',
    },
    container: {
      message:
        'The container of `{service}` publishes no port {port}. Only an address of its container network leads there, and that changes.',
      remedy: 'Recreate it with -p 127.0.0.1:{port}:{port}{ending}, or declare it in a Compose file of the map.',
    },
    machine: {
      message: 'No address that others reach has port {port} of `{service}`, which runs on {machine}.',
      remedy:
        'On {machine}, publish it where the front reaches it: -p {address}:{port}:{port}{ending}, or under its `ports`: "{address}:{port}:{port}{ending}"',
    },
    cluster: {
      message:
        '`{service}` of the cluster publishes its port {port} on no node, so the front does not reach it from outside.',
      remedy:
        'Publish it on the nodes that run it: docker service update --publish-add mode=host,target={port},published={port} {name}. Or run the front in a container on one of its networks.',
    },
    picked: {
      message: '`{service}` lets the engine choose another outside port for {port} at each start.',
      remedy: 'Write a fixed one under its `ports`: {entry}',
    },
  },
});

export const portNotPublished: Rule = {
  card: words,
  check: (facts) =>
    leadsOnMap(facts).flatMap(({ name, leads, protocol, resolution: found, where }) => {
      if (leads.kind !== 'service' || found?.kind !== 'port-not-published' || found.service === null) return [];
      // Of a cluster it is published while a task runs; that none does is told already.
      if (found.service.cluster?.insidePorts.includes(leads.port) === true) return [];
      const about = { roads: [name], where, cause: `service:${leads.service}:${String(leads.port)}` };
      return [
        tell(words, { ...sayWhy(found.service, { ...leads, protocol }, found.insideOf, facts.inventory), ...about }),
      ];
    }),
};

function sayWhy(
  service: Service,
  { port, protocol }: { port: number; protocol: Protocol },
  insideOf: number | null,
  { machines }: Inventory,
): { say: keyof typeof words.messages; data: Evidence } {
  const data = {
    service: service.name,
    port,
    entry: loopbackEntry(service, port, port, protocol),
    ending: portEnding(protocol),
  };
  if (insideOf !== null) return { say: 'outside', data: { ...data, inside: insideOf } };
  if (service.cluster !== null) return { say: 'cluster', data: { ...data, name: service.cluster.name } };
  const machine = machines.find(({ name }) => name === service.machine);
  if (machine !== undefined)
    return { say: 'machine', data: { ...data, machine: machine.name, address: inUrl(machine.address) } };
  const own = service.published.filter((one) => one.protocol === protocol);
  if (own.some(({ containerPort }) => containerPort === port)) return { say: 'picked', data };
  if (service.declared === null) return { say: 'container', data };
  const published = [...new Set(own.map(({ containerPort }) => String(containerPort)))];
  return published.length === 0 ? { say: 'none', data } : { say: 'other', data: { ...data, published } };
}
