import { card, tell } from '../findings/card.ts';
import type { Finding } from '../findings/finding.ts';
import { seesEngine, useOfImage, useOfPort } from '../inventory/web-ports.ts';
import type { Leads } from '../map/site-map.ts';
import { partsOnRoads } from './on-roads.ts';
import type { Rule } from './rule.ts';

const words = card({
  id: 'not-for-the-web',
  severity: 'error',
  summary: 'A road leads to a database, a cache, a queue or the container engine.',
  why: 'It is not meant for browsers, and often trusts whoever can reach it.',
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
    socket: {
      message:
        '`{key}` lets everyone reach `{service}`, which has the engine socket. Whoever gets in is root on this machine.',
      remedy: 'Give the road `gate: home`, or remove the socket from the service.',
    },
  },
});

export const notForTheWeb: Rule = {
  card: words,
  check: (facts) =>
    partsOnRoads(facts).flatMap(({ road, key, leads, resolution, where }): Finding[] => {
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
};

/** The port a service listens on, as the map says it. */
function portOf(leads: Leads): number | null {
  return 'port' in leads ? leads.port : null;
}
