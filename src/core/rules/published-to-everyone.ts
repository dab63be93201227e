import { card, tell } from '../findings/card.ts';
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
      remedy: 'In {file} line {line} write: - "127.0.0.1:{outside}:{inside}"',
    },
  },
});

export const publishedToEveryone: Rule = {
  card: words,
  check: ({ map, resolutions }) =>
    map.roads.flatMap(({ name }) => {
      const found = resolutions.get(name);
      if (found?.kind !== 'dialled' || found.toEveryone === null) return [];
      const { service, port } = found.toEveryone;
      const { where } = port;
      const data = {
        service: service.name,
        outside: port.hostPort,
        inside: port.containerPort,
        file: where.file,
        line: where.line,
      };
      return [tell(words, { say: 'open', data, roads: [name], where, cause: `published:${String(port.hostPort)}` })];
    }),
};
