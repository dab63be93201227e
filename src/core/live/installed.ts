import { card, tell } from '../findings/card.ts';
import type { Finding } from '../findings/finding.ts';
import { editionNumber } from '../proxies/edition.ts';
import { programOf } from '../proxies/programs.ts';
import type { Plan } from '../plan/plan.ts';

const changedByHand = card({
  id: 'edition-changed-by-hand',
  severity: 'warning',
  summary: 'Written files were changed by hand.',
  why: 'They are written again when the map next goes live, and your changes are lost.',
  source: 'Mile Marker: the sums of an edition',
  messages: {
    changed: {
      message: 'Changed by hand since edition {edition} was written: {files}.',
      remedy: 'Put what you want to keep on the map. Then write the files again and make them live: {live}',
    },
    missing: {
      message: 'Missing from edition {edition}: {files}.',
      remedy: 'Write the files again and make them live: {live}',
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
    nothing: { message: 'Nothing was written for this map yet.', remedy: 'Make it live: {live}' },
    silent: {
      message: 'The front does not answer the mark of this map: {title} does not run, or reads other files.',
      remedy: 'Make it live: {live}',
    },
    down: {
      message: 'Edition {edition} was live last, and {title} does not answer now.',
      remedy: 'Start it: {start}',
    },
    other: {
      message: 'The front runs {runs}, and edition {edition} was written last.',
      remedy: 'Make the newest live: {live}',
    },
    foreign: {
      message:
        'The front runs {runs}, which is not in this folder: was the folder restored from a backup? Edition {edition} was written last.',
      remedy: 'Make the map live: {live}',
    },
    copies: {
      message: 'Certificates or password files have changed since the nodes of the front got them.',
      remedy: 'Send them the new ones: {live}',
    },
  },
});

export const renewalUntimed = card({
  id: 'renewal-not-timed',
  severity: 'warning',
  summary: 'Nothing renews the certificates by itself.',
  why: 'They last a few months. After that browsers refuse every road.',
  source: 'RFC 5280 §4.1.2.5 (validity)',
  messages: {
    nothing: {
      message: 'No timer of this machine renews the certificates of this map ({count}).',
      remedy: 'Set it up: mile-marker install timers',
    },
  },
});

export const notRead = card({
  id: 'front-not-read',
  severity: 'error',
  summary: 'The server does not read the written files any more.',
  why: 'The running front is not affected yet. It ends at the next reload or restart, also after a reboot.',
  source: 'Mile Marker: what the server itself says it reads',
  messages: {
    gone: {
      message:
        '{title} does not read {entry}: the line that includes it is gone. The next reload or restart ends the front.',
      remedy: 'Put it back: {live}',
    },
    missing: {
      message: '{entry} is missing, which {title} reads. The next reload or restart fails.',
      remedy: 'Write it again and make it live: {live}',
    },
  },
});

const mapAhead = card({
  id: 'map-not-live',
  severity: 'note',
  summary: 'The map has changed since it was brought live.',
  why: 'An edited map changes nothing for visitors until it is live.',
  source: 'Mile Marker: the mark of an edition',
  messages: {
    changed: {
      message: 'The map, or what it depends on, has changed since edition {edition} was written.',
      remedy: 'See what changed: mile-marker write --diff. Make it live: {live}',
    },
  },
});

export const installedCards = [changedByHand, notLive, notRead, renewalUntimed, mapAhead];

/**
 * The four things that can differ: what the map says, what was written last, what a server reads at its next start, and what runs.
 *
 * @property wanted whether the map would have anything written otherwise than it is; null where that cannot be said
 * @property current the edition that was written last, with its files that are no more as they were; null when there is none
 * @property live number of the edition that was confirmed last; null when none was
 * @property reads whether the server reads the written files at its next start; null where that cannot be said
 * @property isMissing what it reads is gone
 * @property runs what the front answers to its mark; null when it answers nothing @property isKnown it is of an edition that lies here
 */
interface InstalledFacts {
  plan: Plan;
  wanted: boolean | null;
  current: { number: number; digest: string; changed: string[]; missing: string[] } | null;
  live: number | null;
  reads: boolean | null;
  isMissing: boolean;
  entry: string;
  runs: string | null;
  isKnown: boolean;
  /** The front has its own copies of certificates and password files, and they are older than what is here. */
  isBehind: boolean;
}

/** Whatever differs between the four, each in its own words. */
export function judgeInstalled(facts: InstalledFacts): Finding[] {
  const { plan, current, isMissing } = facts;
  const { title, words: say } = programOf(plan.front.proxy);
  const words = { live: say.goLive(plan.front), start: say.start(plan.front) };
  const about = { words, where: plan.front.where };
  if (current === null && !isMissing) return [tell(notLive, { say: 'nothing', ...about })];
  const read = facts.isMissing ? 'missing' : facts.reads === false ? 'gone' : null;
  return [
    ...(current === null ? [] : ofRunning(facts, { ...current, title }, about)),
    ...(read === null ? [] : [tell(notRead, { say: read, data: { title, entry: facts.entry }, ...about })]),
    ...(current === null ? [] : ofWritten(current, about)),
    ...(current === null ? [] : ofMap(facts.wanted, current.number, about)),
  ];
}

interface About {
  words: { live: string; start: string };
  where: Plan['front']['where'];
}

function ofRunning(
  { runs, live, isKnown, isBehind }: InstalledFacts,
  { number, digest, title }: { number: number; digest: string; title: string },
  about: About,
): Finding[] {
  const data = { edition: editionNumber(number), title };
  if (runs === null) {
    // Started, it serves what lies there; only where that is what was live it is what anybody wants.
    const isDown = live === number;
    return [tell(notLive, { say: isDown ? 'down' : 'silent', data, ...about })];
  }
  if (runs.endsWith(digest)) return isBehind ? [tell(notLive, { say: 'copies', ...about })] : [];
  const running = /^edition \d+/.exec(runs)?.[0] ?? 'what an older or another map says';
  return [tell(notLive, { say: isKnown ? 'other' : 'foreign', data: { ...data, runs: running }, ...about })];
}

function ofWritten(current: { number: number; changed: string[]; missing: string[] }, about: About): Finding[] {
  const edition = editionNumber(current.number);
  return (['changed', 'missing'] as const).flatMap((say) =>
    current[say].length === 0
      ? []
      : [tell(changedByHand, { say, data: { edition, files: current[say] }, ...about, cause: `edition:${say}` })],
  );
}

function ofMap(wanted: InstalledFacts['wanted'], number: number, about: About): Finding[] {
  if (wanted !== true) return [];
  return [tell(mapAhead, { say: 'changed', data: { edition: editionNumber(number) }, ...about, cause: 'map' })];
}
