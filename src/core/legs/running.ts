import { card } from '../findings/card.ts';
import type { Plan } from '../plan/plan.ts';
import type { Problem } from './leg.ts';

const notNewest = card({
  id: 'front-not-newest',
  severity: 'note',
  summary: 'The front that runs is not what the map says now.',
  why: 'An edited map changes nothing for visitors until it is live, and a server that does not like its new configuration goes on with the old one.',
  source: 'Mile Marker: the generation mark',
  explains: [
    'handshake-refused',
    'certificate-other-name',
    'redirect-wrong',
    'hsts-not-sent',
    'gate-shut',
    'gate-held',
    'gate-not-judged',
    'wrong-service',
    'service-unclear',
    'front-cannot-reach-service',
    'road-redirect-wrong',
    'folder-no-page',
    'websocket-not-passed',
    'upload-limit',
    'method-not-refused',
    'rate-not-held',
  ],
  messages: {
    restart: {
      message:
        '{names}: the front serves another state of the map than this one; it was started before the last change.',
      remedy: 'Restart mile-marker serve.',
    },
    reload: {
      message: '{names}: the front runs {runs}, and the newest that was written is {written}.',
      remedy: 'Test and reload it: {reload}. If it goes on with the old one, its error log says why.',
    },
    write: {
      message:
        '{names}: the front runs what was written last, {runs}, and the map, or this machine, says something else since.',
      remedy: 'See what: mile-marker write --diff. Then write, and reload: {reload}',
    },
  },
});

export const runningCards = [notNewest];

/**
 * What the front that runs says of itself on its loopback listener, beside what is written and what the map says now.
 *
 * @property runs the mark that was answered
 * @property written number and digest of the newest generation; null when nothing lies where `write` puts it
 * @property wanted digest of what the map says now, as the mark has it; null when not all could be seen that it depends on
 */
export interface RunningEvidence {
  runs: string;
  written: { number: number; digest: string } | null;
  wanted: string | null;
}

/** Compares the marks. A front of somebody else's making has none, and is not talked about. */
export function judgeRunning({ front }: Plan, { runs, written, wanted }: RunningEvidence): Problem | null {
  const [, kind = '', number = '', digest = ''] =
    /^(builtin|generation(?: (\d+))?) (sha256:[0-9a-f]+)\s*$/.exec(runs) ?? [];
  const problem = (say: string, data: Problem['data']): Problem => ({
    card: notNewest,
    say,
    data,
    cause: 'front:mark',
  });
  if (kind === 'builtin') return wanted === null || digest === wanted ? null : problem('restart', {});
  if (kind === '' || written === null) return null;
  const reload = front.container === null ? 'nginx -t && nginx -s reload' : `docker kill -s HUP ${front.container}`;
  const data = {
    runs: `generation ${number}`,
    written: `generation ${String(written.number).padStart(4, '0')}`,
    reload,
  };
  if (digest !== written.digest) return { ...problem('reload', data), severity: 'warning' };
  return wanted === null || digest === wanted ? null : problem('write', data);
}
