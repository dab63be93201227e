import { card } from '../../findings/card.ts';
import type { Finding } from '../../findings/finding.ts';
import { notRead } from '../../live/installed.ts';
import { editionNumber } from '../../proxies/edition.ts';
import type { Problem } from '../leg.ts';

const notNewest = card({
  id: 'front-not-newest',
  severity: 'note',
  summary: 'The front does not run the current map.',
  why: 'An edited map changes nothing for visitors until it is live. A server that rejects its new configuration keeps the old one.',
  source: 'Mile Marker: the mark of an edition',
  explains: [
    'handshake-refused',
    'port-not-served',
    'certificate-other-name',
    'redirect-wrong',
    'hsts-not-sent',
    'gate-shut',
    'gate-refused-here',
    'gate-not-judged',
    'wrong-service',
    'service-unclear',
    'front-cannot-reach-service',
    'road-redirect-wrong',
    'folder-no-page',
    'websocket-not-passed',
    'upload-limit',
    'method-not-refused',
    'rate-not-kept',
  ],
  messages: {
    restart: {
      message: '{names}: the front was started before the last change of the map.',
      remedy: 'Make the map live: {live}',
    },
    reload: {
      message: '{names}: the front runs {runs}, but the newest written one is {written}.',
      remedy: 'Reload it: {reload}. If it still runs the old one, its error log says why.',
    },
    write: {
      message: '{names}: the front runs {runs}, which was written last. The map or this machine has changed since.',
      remedy: 'See what changed: mile-marker write --diff. Make it live: {live}',
    },
  },
});

export const runningCards = [notNewest];

/** Whether a finding says that the map is not live as it is now. */
export function saysNotNewest({ rule }: Pick<Finding, 'rule'>): boolean {
  return rule === notNewest.id;
}

/**
 * What the front that runs says of itself on its loopback listener, beside what is written and what the map says now.
 *
 * @property runs the mark that was answered @property isOurs it is that of an edition which was written for this map
 * @property written number and digest of the newest edition; null when nothing lies where `write` puts it
 * @property wanted digest of what the map says now, as the mark has it; null when not all could be seen that it depends on
 */
export interface RunningEvidence {
  runs: string;
  isOurs: boolean;
  /** Whether the server reads the written files at its next start, and what it would read; null where that cannot be said. */
  reads: { entry: string; title: string; isRead: boolean } | null;
  written: { number: number; digest: string } | null;
  wanted: string | null;
}

/** What ends with the next reload, whatever runs now. */
export function judgeRead({ reads }: RunningEvidence): Problem | null {
  if (reads === null || reads.isRead) return null;
  const { entry, title } = reads;
  return { card: notRead, say: 'gone', data: { entry, title }, cause: 'front:read', severity: 'warning' };
}

/** Compares the marks. A front of somebody else's making has none, and is not talked about. */
export function judgeRunning({ runs, written, wanted }: RunningEvidence): Problem | null {
  const [, kind = '', number = '', digest = ''] =
    /^(builtin|edition(?: (\d+))?) (sha256:[0-9a-f]+)\s*$/.exec(runs) ?? [];
  const problem = (say: string, data: Problem['data']): Problem => ({
    card: notNewest,
    say,
    data,
    cause: 'front:mark',
  });
  if (kind === 'builtin') return wanted === null || digest === wanted ? null : problem('restart', {});
  if (kind === '' || written === null) return null;
  const data = { runs: `edition ${number}`, written: `edition ${editionNumber(written.number)}` };
  if (digest !== written.digest) return { ...problem('reload', data), severity: 'warning' };
  return wanted === null || digest === wanted ? null : problem('write', data);
}
