import { card } from '../findings/card.ts';
import type { PlannedRoad } from '../plan/plan.ts';
import { bad, ok, type LegResult } from './leg.ts';

const words = card({
  id: 'websocket-not-passed',
  severity: 'error',
  summary: 'A live connection (WebSocket) does not get through to its service.',
  why: 'The page loads, and then nothing happens: live views, consoles and chats stay blank.',
  source: 'RFC 6455 §4.1',
  messages: {
    front: {
      message:
        'wss://{name}{path} does not open through the front ({front}), but does when the service is asked directly.',
      remedy:
        'In files made by hand, pass `Upgrade: websocket` and `Connection: upgrade` on{websocketHeaders}. The written configuration does: {live}',
    },
    service: {
      message: 'wss://{name}{path} does not open, and the service itself does not open it either ({direct}).',
      remedy:
        'Correct `expect.path` of the road, or read the log of the service: it may refuse an Origin or a Host that it does not know.',
    },
    silent: {
      message: 'wss://{name}{path} opens, but no frame comes through, though the service itself answers one.',
      remedy:
        'Something between the front and the service holds data back: a proxy must not buffer a live connection. The written configuration does not: {live}',
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
}

export function judgeWebsocket({ road, path, front, direct }: WebsocketEvidence): LegResult {
  const data = { name: road.authority, path };
  const cause = `websocket:${road.name}`;
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

/** A service that speaks over live connections alone has no page to be known by: that one opens is enough. */
export function withLive(service: LegResult, websocket: LegResult): LegResult {
  return service.kind === 'unclear' && websocket.kind === 'live-open'
    ? ok('service', 'answers', service.detail)
    : service;
}
