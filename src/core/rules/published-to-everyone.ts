import { card, tell } from '../findings/card.ts';
import { onLoopback } from '../inventory/on-loopback.ts';
import { partsOnRoads } from './on-roads.ts';
import type { Rule } from './rule.ts';

const words = card({
  id: 'service-published-to-everyone',
  severity: 'warning',
  summary: 'A service on a road also publishes its port on every address of this host.',
  why: 'Whoever dials the bare port passes neither the gate nor TLS. Container ports are forwarded before the input rules of a host firewall, so closing the port there does not help.',
  source: 'Compose Specification, section "ports": without a host address, all of them',
  messages: {
    open: {
      message: '`{service}` can be reached past the front, on port {outside} of every address of this host.',
      remedy: 'In {file} line {line} write: {instead}',
    },
    needless: {
      message: '`{service}` can be reached past the front, on port {outside} of every address of this host.',
      remedy: 'In {file} take line {line} away: the front reaches the service by their shared network.',
    },
    container: {
      message:
        'The container of `{service}` can be reached past the front, on port {outside} of every address of this host.',
      remedy: 'Make it anew with: -p 127.0.0.1:{outside}:{inside}',
    },
  },
});

export const publishedToEveryone: Rule = {
  card: words,
  check: (facts) =>
    partsOnRoads(facts).flatMap(({ road, resolution: found, where }) => {
      if (found?.kind !== 'dialled' || found.toEveryone === null) return [];
      const { service, toEveryone: port } = found;
      const data = {
        service: service?.name ?? '',
        outside: port.hostPort,
        inside: port.containerPort,
        file: port.where?.file ?? '',
        line: port.where?.line ?? 0,
        instead: onLoopback(port.written ?? `${String(port.hostPort)}:${String(port.containerPort)}`),
      };
      const say = port.where === null ? 'container' : facts.front.kind === 'container' ? 'needless' : 'open';
      const about = { roads: [road.name], where: port.where ?? where, cause: `published:${String(port.hostPort)}` };
      return [tell(words, { say, data, ...about })];
    }),
};
