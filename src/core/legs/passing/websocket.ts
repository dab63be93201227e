import { card } from '../../findings/card.ts';
import type { PlannedRoad } from '../../plan/plan.ts';
import { bad, ok, type LegResult } from '../leg.ts';

const words = card({
  id: 'websocket-not-passed',
  severity: 'error',
  summary: 'A live connection (WebSocket) does not get through to its service.',
  why: 'The page loads, but live views, consoles and chats stay blank.',
  source: 'RFC 6455 §4.1',
  messages: {
    front: {
      message:
        'wss://{name}{path} does not open through the front ({front}), but does when the service is asked directly.',
      remedy:
        'In hand-written files, pass `Upgrade: websocket` and `Connection: upgrade` on{websocketHeaders}. Mile Marker’s configuration does: {live}',
    },
    service: {
      message: 'wss://{name}{path} does not open, and the service itself does not open it either ({direct}).',
      remedy:
        'Correct `expect.path` of the road, or read the log of the service: it may refuse an Origin or a Host that it does not know.',
    },
    sometimes: {
      message:
        'wss://{name}{path} opens on {opened} of {tried} tries through the front, and on {direct} asked directly.',
      remedy:
        'Read the log of the service. If several copies of it run, one of them may be down, or take no live connections.',
    },
    silent: {
      message: 'wss://{name}{path} opens, but no frame comes through, though the service itself answers one.',
      remedy:
        'A proxy between the front and the service buffers the live connection. Mile Marker’s configuration does not: {live}',
    },
  },
});

export const websocketCards = [words];

/** How opening a live connection went. @property answered a frame came back */
export type Opened = { ok: true; answered: boolean } | { ok: false; reason: string };

interface WebsocketEvidence {
  road: PlannedRoad;
  path: string;
  front: Opened;
  /** The same to the service itself; null when it cannot be reached from here. */
  direct: Opened | null;
  /** The same again, by turns; absent when it was not repeated. */
  again?: { front: Opened[]; direct: Opened[] };
}

export function judgeWebsocket({ road, path, front, direct, again }: WebsocketEvidence): LegResult {
  const data = { name: road.authority, path };
  const cause = `websocket:${road.name}`;
  const fronts = [front, ...(again?.front ?? [])];
  const directs = [...(direct === null ? [] : [direct]), ...(again?.direct ?? [])];
  if (differ(fronts) || differ(directs)) {
    const counts = { opened: opening(fronts), tried: fronts.length };
    const direct =
      directs.length === 0 ? 'none, as it cannot be' : `${String(opening(directs))} of ${String(directs.length)}`;
    return bad('websocket', 'live-sometimes', {
      card: words,
      say: 'sometimes',
      data: { ...data, ...counts, direct },
      cause,
    });
  }
  if (front.ok) {
    if (front.answered || direct?.ok !== true || !direct.answered) return ok('websocket', 'live-open');
    return bad('websocket', 'live-silent', { card: words, say: 'silent', data, cause });
  }
  if (direct?.ok === false)
    return bad('websocket', 'live-refused', {
      card: words,
      say: 'service',
      data: { ...data, direct: direct.reason },
      cause,
    });
  return bad('websocket', 'live-not-passed', {
    card: words,
    say: 'front',
    data: { ...data, front: front.reason },
    cause,
  });
}

function opening(all: readonly Opened[]): number {
  return all.filter(({ ok: isOpen }) => isOpen).length;
}

function differ(all: readonly Opened[]): boolean {
  return opening(all) > 0 && opening(all) < all.length;
}

/** A service that speaks over live connections alone has no page to be known by: that one opens is enough. */
export function withLive(service: LegResult, websocket: LegResult): LegResult {
  return service.kind === 'unclear' && websocket.kind === 'live-open'
    ? ok('service', 'answers', service.detail)
    : service;
}
