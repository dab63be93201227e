import { card, tell } from '../../findings/card.ts';
import { consoleBy } from '../../inventory/consoles.ts';
import { partsOnRoads } from '../on-roads.ts';
import type { Rule } from '../rule.ts';

export const consoleOpenWords = card({
  id: 'console-open-to-everyone',
  severity: 'warning',
  summary: 'Something that looks like a console or a dashboard is open to everybody.',
  why: 'Scanners find names in public certificates within hours, and many such pages have a weak password.',
  source: 'RFC 9162: names in certificates are published',
  messages: {
    open: {
      message: '`{key}` is open to everyone, and {why}.',
      remedy: 'Give it `gate: home`, or a gate with people. If it is meant: `meant-so: [console-open-to-everyone]`',
    },
  },
});

export const consoleOpen: Rule = {
  card: consoleOpenWords,
  check: (facts) =>
    partsOnRoads(facts).flatMap(({ road, key, leads, resolution, where }) => {
      const { name, gates } = road;
      if (leads.kind === 'redirect' || leads.kind === 'folder' || gates.some((gate) => gate !== 'everyone')) return [];
      const service = resolution?.service ?? null;
      const why = consoleBy({
        name: road.key,
        port: leads.port,
        image: service?.image ?? null,
        service: service?.name ?? null,
      });
      return why === null ? [] : [tell(consoleOpenWords, { say: 'open', data: { key, why }, roads: [name], where })];
    }),
};
