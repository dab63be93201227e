import { withPort } from '../../core/networks/address.ts';
import WebSocket from 'ws';
import type { Opened } from '../../core/legs/passing/websocket.ts';
import { reasonOf } from '../trouble.ts';
import type { Pair } from '../certificates/make.ts';
import { shownIn } from './shown-in.ts';
import { fromAddress, type Limits } from './connect.ts';

interface LiveInput extends Limits {
  scheme: 'http' | 'https';
  address: string;
  port: number;
  servername: string;
  path: string;
  headers: Record<string, string>;
  /** So long nothing is said before a second ping must come back, too. */
  quietMs?: number;
  /** What a device shows in the handshake, where it is asked. */
  device?: Pair | null;
}

/**
 * Opens a WebSocket (RFC 6455 §4.1), sends a ping (§5.5.2) and waits a moment for any frame. A ping is what every sound service answers by itself,
 * and means nothing to the program behind it.
 */
export function openLive({
  scheme,
  address,
  port,
  servername,
  path,
  headers,
  quietMs,
  timeoutMs,
  signal,
  from,
  device,
}: LiveInput): Promise<Opened> {
  return new Promise((resolve) => {
    if (signal.aborted) {
      resolve({ ok: false, reason: 'interrupted' });
      return;
    }
    const socket = new WebSocket(`${scheme === 'https' ? 'wss' : 'ws'}://${withPort(address, port)}${path}`, {
      headers,
      ...shownIn(device),
      handshakeTimeout: timeoutMs,
      ...fromAddress(from),
      ...(scheme === 'https' ? { servername, rejectUnauthorized: false } : {}),
    });
    let timer: NodeJS.Timeout | undefined;
    const end = (opened: Opened): void => {
      clearTimeout(timer);
      signal.removeEventListener('abort', abort);
      socket.removeAllListeners();
      socket.on('error', () => undefined);
      socket.terminate();
      resolve(opened);
    };
    const abort = (): void => end({ ok: false, reason: 'interrupted' });
    let isQuiet = false;
    const answered = (): void => {
      if (quietMs === undefined) end({ ok: true, answered: true });
      if (quietMs === undefined || isQuiet) return;
      isQuiet = true;
      clearTimeout(timer);
      timer = setTimeout(() => {
        for (const event of ['pong', 'message'] as const) socket.once(event, () => end({ ok: true, answered: true }));
        timer = setTimeout(() => end({ ok: false, reason: 'nothing came back' }), timeoutMs);
        socket.ping();
      }, quietMs);
    };
    signal.addEventListener('abort', abort, { once: true });
    socket.once('open', () => {
      timer = setTimeout(() => end({ ok: true, answered: false }), timeoutMs / 3);
      socket.ping();
    });
    for (const event of ['pong', 'message', 'ping'] as const) socket.once(event, () => answered());
    socket.once('unexpected-response', (_, response) =>
      end({ ok: false, reason: `status ${String(response.statusCode ?? 0)}` }),
    );
    socket.once('error', (error) => end({ ok: false, reason: reasonOf(error) }));
    socket.once('close', () => end({ ok: false, reason: 'the connection was closed' }));
  });
}
