import { card, tell } from '../../findings/card.ts';
import type { Service } from '../../inventory/inventory.ts';
import { listeningInside, reachableInside } from '../../inventory/listening.ts';
import { loopbackEntry } from '../../inventory/on-loopback.ts';
import { leadsOnMap } from '../on-roads.ts';
import type { Facts, Rule } from '../rule.ts';

const words = card({
  id: 'service-not-listening',
  severity: 'error',
  summary: 'Inside its container a service listens on another port than the road says.',
  why: 'The port in an image or a Compose file is only a hint. The settings of the program decide.',
  source: 'proc(5), /proc/PID/net/tcp of the container',
  messages: {
    other: {
      message:
        '`{key}` leads to port {port} of `{service}`, but nothing listens there inside the container. It listens on {real}.',
      remedy: 'Write `to: {service}:{first}`{publish}.',
    },
    loopback: {
      message: '`{key}` leads to port {port} of `{service}`, which listens only on loopback inside its container.',
      remedy: 'In the settings of the service let it listen on every address: 0.0.0.0',
    },
    nothing: {
      message: '`{key}` leads to port {port} of `{service}`, and nothing listens inside its container yet.',
      remedy: 'It may still be starting. If not, read its log: docker logs {container}',
    },
  },
});

export const serviceNotListening: Rule = {
  card: words,
  check: (facts) =>
    leadsOnMap(facts).flatMap(({ name, key, leads, protocol, resolution, where }) => {
      const service = resolution?.service ?? null;
      if (leads.kind !== 'service' || service === null || service.networkMode !== null) return [];
      // Sockets of UDP are not seen.
      if (protocol === 'udp') return [];
      const seen = listeningInside(service);
      const real = reachableInside(service) ?? [];
      if (seen === null || real.includes(leads.port)) return [];
      const isOnLoopback = seen.some(({ port }) => port === leads.port);
      const say = isOnLoopback ? 'loopback' : real.length > 0 ? 'other' : 'nothing';
      const [first = leads.port] = real;
      const data = {
        ...{ key, port: leads.port, service: service.name, real: real.map(String), first },
        publish: publishing(service, first, facts),
        container: service.containers[0]?.name ?? service.name,
      };
      const severity = say === 'nothing' ? ('warning' as const) : ('error' as const);
      return [tell(words, { say, data, severity, roads: [name], where })];
    }),
};

/** A front on the host reaches what is published; then the line that publishes it goes along. */
function publishing(service: Service, port: number, { front }: Facts): string {
  const isThere = service.published.some(({ containerPort }) => containerPort === port);
  if (front.kind === 'container' || isThere) return '';
  const outside = service.published[0]?.hostPort ?? port;
  return `, and under \`ports\` of the service: ${loopbackEntry(service, outside, port)}`;
}
