import { card, tell } from '../findings/card.ts';
import type { Finding } from '../findings/finding.ts';
import { partName } from '../plan/parts.ts';
import { programOf, writtenPrograms } from '../proxies/programs.ts';
import type { Rule } from './rule.ts';

const words = card({
  id: 'proxy-cannot',
  severity: 'error',
  summary: 'The map asks for something that its proxy cannot do.',
  why: 'Visitors would get an error, or a log would stay empty, and nothing would say why.',
  source: 'the documentation of the proxy; docs/proxies.md has all in which they differ',
  messages: {
    folder: {
      message: '`{road}` shows {folder}, and {proxy} shows no files.',
      remedy:
        'Let a service show it, and lead the road there: `to: SERVICE:PORT`. Or write another proxy under `front`: {others}',
    },
    log: {
      message: '`{road}` is to be logged to {file}, and {proxy} writes no files.',
      remedy:
        'Take `log` away: it logs to the journal (`log` in its own configuration). Or write another proxy under `front`: {others}',
    },
  },
});

/** How a map says another proxy that can. */
function able(what: 'folders' | 'logFiles'): string {
  const names = writtenPrograms().flatMap(({ name, limits }) => (limits[what] ? [`proxy: ${name}`] : []));
  return names.join(', or ');
}

export const proxyCannot: Rule = {
  card: words,
  check: ({ plan }) => {
    const { limits, title: proxy } = programOf(plan.front.proxy);
    return plan.roads.flatMap(({ name, display, parts, rules: { log }, where, lines }): Finding[] => {
      const folders = limits.folders ? [] : parts;
      const shown = folders.flatMap(({ leads, prefix, where: place }) =>
        leads.kind === 'folder'
          ? [
              tell(words, {
                say: 'folder',
                data: { proxy, road: partName(display, prefix), folder: leads.path, others: able('folders') },
                roads: [name],
                where: place,
              }),
            ]
          : [],
      );
      if (limits.logFiles || typeof log !== 'string') return shown;
      const data = { proxy, road: display, file: log, others: able('logFiles') };
      return [
        ...shown,
        tell(words, { say: 'log', data, roads: [name], where: { ...where, line: lines['log'] ?? where.line } }),
      ];
    });
  },
};
