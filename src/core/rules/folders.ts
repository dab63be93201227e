import { card, tell } from '../findings/card.ts';
import type { Finding } from '../findings/finding.ts';
import { mainPart } from '../plan/parts.ts';
import { programOf } from '../proxies/programs.ts';
import type { Rule } from './rule.ts';

const words = card({
  id: 'folder-not-shown',
  severity: 'error',
  summary: 'The proxy cannot show the folder of a road.',
  why: 'Visitors get 404, and the proxy’s log says why, where nobody looks.',
  source: 'path_resolution(7)',
  messages: {
    missing: { message: '`{road}` shows {folder}, which is not there.', remedy: 'Make it, or mend the path.' },
    file: { message: '`{road}` shows {folder}, which is no folder.', remedy: 'Name the folder that it is in.' },
    barred: {
      message: '{proxy} runs as {user}, which cannot read {folder}. What keeps it out: {bars}.',
      remedy: 'Let others go through it: chmod o+rX {all}',
    },
    index: {
      message: '`{road}` shows {folder}, which has no index.html: the bare name answers 404.',
      remedy: 'Put one there; there is no listing.',
    },
  },
});

export const folderNotShown: Rule = {
  card: words,
  check: ({ plan, files }) =>
    plan.roads.flatMap((road): Finding[] => {
      const { leads, where } = mainPart(road);
      if (leads.kind !== 'folder') return [];
      const folder = leads.path;
      const found = files.folders.get(folder);
      const about = { roads: [road.name], where };
      const data = { road: road.display, folder };
      if (found === undefined) return [];
      if (found.state === 'missing') return [tell(words, { say: 'missing', data, ...about })];
      if (found.state === 'no-folder') return [tell(words, { say: 'file', data, ...about })];
      if (found.bars.length > 0)
        return [
          tell(words, {
            say: 'barred',
            data: {
              ...data,
              bars: found.bars,
              all: found.bars.join(' '),
              user: files.proxyUser ?? '',
              proxy: programOf(plan.front.proxy).title,
            },
            ...about,
          }),
        ];
      return found.hasIndex ? [] : [tell(words, { say: 'index', data, severity: 'warning', ...about })];
    }),
};
