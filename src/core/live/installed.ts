import { card, tell } from '../findings/card.ts';
import type { Finding } from '../findings/finding.ts';
import { editionNumber } from '../proxies/edition.ts';
import { programOf } from '../proxies/programs.ts';
import type { Plan } from '../plan/plan.ts';

const changedByHand = card({
  id: 'edition-changed-by-hand',
  severity: 'warning',
  summary: 'Written files were changed by hand.',
  why: 'They are written anew when the map goes live the next time, and what was changed is gone then.',
  source: 'Mile Marker: the sums of an edition',
  messages: {
    changed: {
      message: 'Changed by hand since edition {edition} was written: {files}.',
      remedy: 'Say on the map what you want to keep. Then have the files written and live again: {live}',
    },
    missing: {
      message: 'Missing from edition {edition}: {files}.',
      remedy: 'Have the files written and live again: {live}',
    },
  },
});

const notLive = card({
  id: 'front-not-live',
  severity: 'error',
  summary: 'The front does not run what was written last.',
  why: 'Files that no server has read change nothing for visitors.',
  source: 'Mile Marker: the mark of an edition',
  messages: {
    nothing: { message: 'Nothing was written for this map yet.', remedy: 'Bring it live: {live}' },
    silent: {
      message: 'The front does not answer the mark of this map: it does not run, or reads other files.',
      remedy: 'Bring it live: {live}',
    },
    other: {
      message: 'The front runs {runs}, and edition {edition} was written last.',
      remedy: 'Bring the newest live: {live}',
    },
    copies: {
      message: 'Certificates or password files have changed since the nodes of the front were given them.',
      remedy: 'Give them the new ones: {live}',
    },
  },
});

export const installedCards = [changedByHand, notLive];

/**
 * @property current the edition that was written last, with its files that are no more as they were; null when there is none
 * @property runs what the front answers to its mark; null when it answers nothing
 */
interface InstalledFacts {
  plan: Plan;
  current: { number: number; digest: string; changed: string[]; missing: string[] } | null;
  runs: string | null;
  /** The front has its own copies of certificates and password files, and they are older than what is here. */
  isBehind: boolean;
}

/** What differs between what was written and what is there and runs. */
export function judgeInstalled({ plan: { front }, current, runs, isBehind }: InstalledFacts): Finding[] {
  const words = { live: programOf(front.proxy).words.goLive(front) };
  const where = front.where;
  if (current === null) return [tell(notLive, { say: 'nothing', words, where })];
  const edition = editionNumber(current.number);
  const listed = (['changed', 'missing'] as const).flatMap((say) =>
    current[say].length === 0
      ? []
      : [tell(changedByHand, { say, data: { edition, files: current[say] }, words, where, cause: `edition:${say}` })],
  );
  if (runs === null) return [tell(notLive, { say: 'silent', words, where }), ...listed];
  const isNewest = runs.endsWith(current.digest);
  const running = /^edition \d+/.exec(runs)?.[0] ?? 'what an older or another map says';
  if (isNewest && isBehind) return [tell(notLive, { say: 'copies', words, where }), ...listed];
  return isNewest
    ? listed
    : [tell(notLive, { say: 'other', data: { edition, runs: running }, words, where }), ...listed];
}
