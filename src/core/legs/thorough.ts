import { card } from '../findings/card.ts';
import type { PlannedRoad } from '../plan/plan.ts';
import type { Answer, Attempt } from './answer.ts';
import type { Problem } from './leg.ts';
import type { Opened } from './websocket.ts';

/** What takes long or sends much, and is tested when somebody asks for it. */

const quiet = card({
  id: 'quiet-connection-cut',
  severity: 'warning',
  summary: 'A live connection on which nothing is said for a minute is cut.',
  why: 'Consoles, chats and live views lose their connection whenever nothing happens, and open it again and again.',
  source: 'RFC 6455 §5.5.2',
  messages: {
    cut: {
      message:
        'wss://{name}{path}: through the front it is cut when nothing is said for {seconds} seconds ({reason}). Asked directly it stays.',
      remedy:
        'In files made by hand, give live connections more time{quietLive}. The written configuration keeps them for as long as the `timeout` of the road says: {live}',
    },
  },
});

const upload = card({
  id: 'upload-cut',
  severity: 'warning',
  summary: 'An upload that is announced and let through does not arrive whole.',
  why: 'Pictures and backups end with an error after minutes of waiting.',
  source: 'RFC 9110 §8.6, §15.5.14',
  messages: {
    cut: {
      message:
        '{names}: an upload of {size} ends with {front} through the front, and with {direct} when it is sent to {upstream} directly.',
      remedy:
        "Read the front's error log: it may have no room for what it keeps (df -h), or a limit of time. The written configuration passes it on as it comes: {live}",
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
