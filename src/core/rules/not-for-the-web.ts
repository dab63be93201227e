import { card, tell } from '../findings/card.ts';
import type { Leads } from '../map/site-map.ts';
import type { Rule } from './rule.ts';

/**
 * Ports whose registered use is no website, by number: IANA Service Name and Transport Protocol Port Number Registry
 * (https://www.iana.org/assignments/service-names-port-numbers), and for the engine its own documented default.
 */
const registered: Readonly<Record<number, string>> = {
  22: 'a remote shell',
  25: 'a mail server',
  53: 'a name server',
  1433: 'a database',
  2375: 'a container engine, which is root on this machine',
  2376: 'a container engine, which is root on this machine',
  3306: 'a database',
  5432: 'a database',
  6379: 'a cache',
  11211: 'a cache',
  27017: 'a database',
};

const words = card({
  id: 'not-for-the-web',
  severity: 'error',
  summary: 'A road leads to a port that belongs to a database, a cache or the container engine.',
  why: 'Nothing there is meant for browsers, and much of it trusts whoever can reach it.',
  source: 'IANA Service Name and Transport Protocol Port Number Registry',
  messages: {
    port: {
      message: '`{key}` leads to port {port}, which is usually {use}.',
      remedy: 'Lead to the program that people open in a browser, or remove the road: mile-marker remove {key}',
    },
  },
});

export const notForTheWeb: Rule = {
  card: words,
  check: ({ map }) =>
    map.roads.flatMap(({ key, name, leads, leadsWhere: where }) => {
      const port = portOf(leads);
      const use = port === null ? undefined : registered[port];
      return use === undefined ? [] : [tell(words, { say: 'port', data: { key, port, use }, roads: [name], where })];
    }),
};

/** The port a service listens on, as the map says it. */
function portOf(leads: Leads): number | null {
  return leads.kind === 'redirect' ? null : leads.port;
}
