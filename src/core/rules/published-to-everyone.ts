import { card, tell } from '../findings/card.ts';
import { onLoopback, portEnding } from '../inventory/on-loopback.ts';
import { leadsOnMap } from './on-roads.ts';
import type { Rule } from './rule.ts';

const words = card({
  id: 'service-published-to-everyone',
  severity: 'warning',
  summary: 'A service on a road also publishes its port on every address of this host.',
  why: 'Whoever uses that port bypasses the gate and TLS. Container ports are forwarded before the input rules of a firewall, so closing the port there does not help.',
  source: 'Compose Specification, section "ports": without a host address, all of them',
  messages: {
    open: {
      message: '`{service}` is reachable past the front, on port {outside} of every address of this host.',
      remedy: 'In {file} line {line} write: {instead}',
    },
    needless: {
      message: '`{service}` is reachable past the front, on port {outside} of every address of this host.',
      remedy: 'In {file} remove line {line}: the front reaches the service by their shared network.',
    },
    container: {
      message:
        'The container of `{service}` is reachable past the front, on port {outside} of every address of this host.',
      remedy: 'Recreate it with: -p 127.0.0.1:{outside}:{inside}{ending}',
    },
  },
});

export const publishedToEveryone: Rule = {
  card: words,
  check: (facts) =>
    leadsOnMap(facts).flatMap(({ name, resolution: found, where }) => {
      if (found?.kind !== 'dialled' || found.toEveryone === null) return [];
      const { service, toEveryone: port } = found;
      const data = {
        service: service?.name ?? '',
        outside: port.hostPort,
        inside: port.containerPort,
        ending: portEnding(port.protocol),
        file: port.where?.file ?? '',
        line: port.where?.line ?? 0,
        instead: onLoopback(port.written ?? `${String(port.hostPort)}:${String(port.containerPort)}`, port),
      };
      const say = port.where === null ? 'container' : facts.front.kind === 'container' ? 'needless' : 'open';
      const about = {
        roads: [name],
        where: port.where ?? where,
        cause: `published:${String(port.hostPort)}${portEnding(port.protocol)}`,
      };
      return [tell(words, { say, data, ...about })];
    }),
};
