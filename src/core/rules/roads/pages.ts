import { card, tell } from '../../findings/card.ts';
import { programOf } from '../../proxies/programs.ts';
import { shellWord } from '../../shell-word.ts';
import type { Rule } from '../rule.ts';

const words = card({
  id: 'page-not-shown',
  severity: 'error',
  summary: 'One of your own pages cannot be shown, or is never used.',
  why: 'Visitors would get the front’s plain error page instead.',
  source: 'map reference: `pages`',
  messages: {
    unfit: {
      message: '`pages.{kind}` names {path}, which cannot be shown: {why}.',
      remedy: 'Correct the path or the file, or remove the line.',
    },
    never: {
      message: '`pages.unknown` is never shown: `front.unknown` answers names that are not on the map in another way.',
      remedy: 'Write `unknown: not-found` under `front`, or remove the page.',
    },
  },
});

export const pageNotShown: Rule = {
  card: words,
  check: ({ map, plan, pages }) =>
    map.pages.flatMap(({ kind, path, where }) => {
      const why = pages.find((page) => page.kind === kind)?.why ?? null;
      if (why !== null) return [tell(words, { say: 'unfit', data: { kind, path, why }, where })];
      return kind === 'unknown' && plan.front.unknown.act !== 'not-found'
        ? [tell(words, { say: 'never', severity: 'warning', data: {}, where })]
        : [];
    }),
};

const barred = card({
  id: 'front-files-barred',
  severity: 'warning',
  summary: 'The proxy cannot read the files of its own answers.',
  why: 'Visitors get a "forbidden" page instead of "the service cannot be reached".',
  source: 'path_resolution(7)',
  messages: {
    barred: {
      message: '{proxy} (user {user}) cannot read the files of its own answers because of: {bars}.',
      remedy: 'Let that user pass these folders: chmod o+x {folders}',
    },
  },
});

export const frontFilesBarred: Rule = {
  card: barred,
  check: ({ plan, files }) => {
    if (files.bars.length === 0) return [];
    const { title: proxy } = programOf(plan.front.proxy);
    const folders = files.bars.map(shellWord).join(' ');
    const data = { proxy, user: files.proxyUser ?? '', bars: files.bars, folders };
    return [tell(barred, { say: 'barred', data, where: plan.front.where })];
  },
};
