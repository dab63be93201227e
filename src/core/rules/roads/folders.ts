import { card, tell } from '../../findings/card.ts';
import type { Finding } from '../../findings/finding.ts';
import { mainPart } from '../../plan/parts.ts';
import { programOf } from '../../proxies/programs.ts';
import type { Rule } from '../rule.ts';
import { shellWord } from '../../shell-word.ts';

const words = card({
  id: 'folder-not-shown',
  severity: 'error',
  summary: 'The proxy cannot show the folder of a road.',
  why: 'Visitors get 404. Only the log of the proxy says why.',
  source: 'path_resolution(7)',
  messages: {
    missing: { message: '`{road}` shows {folder}, which does not exist.', remedy: 'Create it, or correct the path.' },
    file: { message: '`{road}` shows {folder}, which is not a folder.', remedy: 'Write the folder that it is in.' },
    barred: {
      message: '{proxy} runs as {user}, which cannot read {folder} because of: {bars}.',
      remedy: 'Let others read it and pass the folders above it: {commands}',
    },
    index: {
      message: '`{road}` shows {folder}, which has no index.html, so the start page is 404.',
      remedy: 'Put one there. The proxy never lists files.',
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
              commands: opening(folder, found.bars),
              user: files.proxyUser ?? '',
              proxy: programOf(plan.front.proxy).title,
            },
            ...about,
          }),
        ];
      return found.hasIndex ? [] : [tell(words, { say: 'index', data, severity: 'warning', ...about })];
    }),
};

/** Others may read what is shown, and no more than go through what is above it. */
function opening(folder: string, bars: readonly string[]): string {
  const above = bars.filter((path) => path !== folder && !path.startsWith(`${folder}/`));
  const through = above.length === 0 ? [] : [`chmod o+x ${above.map(shellWord).join(' ')}`];
  const shown = above.length === bars.length ? [] : [`chmod -R o+rX ${shellWord(folder)}`];
  return [...through, ...shown].join(' && ');
}
