import { card, tell } from '../../findings/card.ts';
import type { Finding } from '../../findings/finding.ts';
import { seesEngine, useOfImage, useOfPort } from '../../inventory/web-ports.ts';
import type { Leads } from '../../map/site-map.ts';
import { partsOnRoads } from '../on-roads.ts';
import type { Facts, Rule } from '../rule.ts';
import { indexed } from '../../indexed.ts';

const words = card({
  id: 'not-for-the-web',
  severity: 'error',
  summary: 'A road leads to a database, a cache, a queue or the container engine.',
  why: 'It is not meant for browsers, and often trusts anyone who can reach it.',
  source: 'IANA Service Name and Transport Protocol Port Number Registry',
  messages: {
    port: {
      message: '`{key}` leads to port {port}, which is usually {use}.',
      remedy: 'Lead to the program that people open in a browser. Or remove the road: mile-marker remove {road}',
    },
    image: {
      message: '`{key}` leads to `{service}`, whose image is {use}.',
      remedy: 'Lead to the program that people open in a browser. Or remove the road: mile-marker remove {road}',
    },
    raw: {
      message: '`{key}` lets everyone connect to port {port} of {to}, which is usually {use}.',
      remedy: 'Under `ports` write `gate: home` there, or a gate with the networks that are meant.',
    },
    socket: {
      message:
        '`{key}` lets everyone reach `{service}`, which has the engine socket. Anyone who gets in is root on this machine.',
      remedy: 'Give the road `gate: home`, or remove the socket from the service.',
    },
  },
});

export const notForTheWeb: Rule = {
  card: words,
  check: (facts) => [
    ...openPorts(facts),
    ...partsOnRoads(facts).flatMap(({ road, key, leads, resolution, where }): Finding[] => {
      const { name, gates } = road;
      const about = { roads: [name], where };
      const port = portOf(leads);
      const use = port === null ? null : useOfPort(port);
      if (use !== null) return [tell(words, { say: 'port', data: { key, road: road.key, port, use }, ...about })];
      const service = resolution?.service ?? null;
      if (service === null) return [];
      const image = useOfImage(service.image);
      if (image !== null)
        return [
          tell(words, { say: 'image', data: { key, road: road.key, service: service.name, use: image }, ...about }),
        ];
      if (!seesEngine(service) || !gates.every((gate) => gate === 'everyone')) return [];
      return [tell(words, { say: 'socket', data: { key, service: service.name }, ...about })];
    }),
  ],
};

/** A raw port may lead to any program; to the whole internet such a one is seldom meant to be open. */
function openPorts({ map, plan }: Facts): Finding[] {
  return map.ports.flatMap(({ name, leads, gates, where }): Finding[] => {
    if (gates.some((gate) => gate !== 'everyone')) return [];
    const service = indexed(plan.ports, 'name').get(name)?.resolution?.service ?? null;
    const use = useOfPort(leads.port) ?? useOfImage(service?.image ?? null);
    if (use === null) return [];
    const to = leads.kind === 'port' ? 'this machine' : leads.kind === 'service' ? `\`${leads.service}\`` : leads.host;
    const data = { key: name, port: leads.port, to, use };
    return [tell(words, { say: 'raw', data, severity: 'warning', roads: [name], where })];
  });
}

/** The port a service listens on, as the map says it. */
function portOf(leads: Leads): number | null {
  return 'port' in leads ? leads.port : null;
}
