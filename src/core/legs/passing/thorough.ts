import { card } from '../../findings/card.ts';
import type { PlannedRoad } from '../../plan/plan.ts';
import type { Answer, Attempt } from '../answer.ts';
import type { Problem } from '../leg.ts';
import type { Opened } from './websocket.ts';

/** What takes long or sends much, and is tested when somebody asks for it. */

const quiet = card({
  id: 'quiet-connection-cut',
  severity: 'warning',
  summary: 'A live connection is cut after a quiet minute.',
  why: 'Consoles, chats and live views lose their connection whenever nothing happens, and reconnect again and again.',
  source: 'RFC 6455 §5.5.2',
  messages: {
    cut: {
      message:
        'wss://{name}{path}: the front closes it after {seconds} quiet seconds ({reason}). Asked directly, it stays open.',
      remedy:
        'In hand-written files, give live connections more time{quietLive}. Mile Marker’s configuration keeps them open for the `timeout` of the road: {live}',
    },
  },
});

const upload = card({
  id: 'upload-cut',
  severity: 'warning',
  summary: 'A large upload does not arrive completely.',
  why: 'Pictures and backups end with an error after minutes of waiting.',
  source: 'RFC 9110 §8.6, §15.5.14',
  messages: {
    cut: {
      message:
        '{names}: an upload of {size} ends with {front} through the front, and with {direct} when it is sent to {upstream} directly.',
      remedy:
        "Read the front's error log: the disk may be full (df -h), or a time limit too short. Mile Marker’s configuration streams uploads to the service: {live}",
    },
  },
});

export const thoroughCards = [quiet, upload];

/** How long nothing is said: what servers and routers on the way cut is mostly cut after a minute. */
export const quietMs = 65_000;

/** A size that is still polite. */
const politeBytes = 8 * 1024 * 1024;

/** Bytes of an upload that must arrive. */
export function wholeUpload({ rules: { bodyLimitBytes } }: PlannedRoad): number {
  return Math.min(bodyLimitBytes ?? politeBytes, politeBytes);
}

export function quietProblems(road: PlannedRoad, path: string, front: Opened, direct: Opened | null): Problem[] {
  if (front.ok || direct?.ok !== true) return [];
  const data = { name: road.authority, path, seconds: quietMs / 1000, reason: front.reason };
  return [{ card: quiet, say: 'cut', data, cause: `quiet:${road.name}` }];
}

/** Whether an upload was taken whole, whatever was made of it. */
export function hasArrived(attempt: Attempt<Answer>): boolean {
  return attempt.ok && attempt.value.status < 500 && attempt.value.status !== 413;
}

export function wholeProblems(
  road: PlannedRoad,
  bytes: number,
  { front, direct, upstream }: { front: Attempt<Answer>; direct: Attempt<Answer>; upstream: string },
): Problem[] {
  if (!direct.ok || !hasArrived(direct) || hasArrived(front)) return [];
  const shown = front.ok ? front.value.status : front.failure.reason;
  const data = {
    size: `${String(Math.round(bytes / 1024 / 1024))} MiB`,
    front: shown,
    direct: direct.value.status,
    upstream,
  };
  return [{ card: upload, say: 'cut', data, cause: `upload-cut:${road.name}` }];
}
