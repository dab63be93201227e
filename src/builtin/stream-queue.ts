import { constants, type Http2Server, type ServerHttp2Session, type ServerHttp2Stream } from 'node:http2';

/** So many new streams begin in one turn of the loop; the others wait for the next ones, and requests of others come in between. */
const aTurn = 16;

/** So many streams of one connection may be taken back before they begin, within so long. Whoever does it more often wants nothing but our work. */
const mostTakenBack = 100;
const withinMs = 10_000;

type Begun = [stream: ServerHttp2Stream, ...rest: unknown[]];

/**
 * Begins streams of HTTP/2 a few at a time. A client can open and take back thousands with a few bytes each (RFC 9113 §10.5): one that is taken back
 * before its turn is dropped without a look at it, and a connection that goes on with it ends.
 *
 * @param server whose `stream` events come by way of this from now on
 */
export function beginInTurn(server: Http2Server): void {
  const begin = server.emit.bind(server) as (event: string, ...given: unknown[]) => boolean;
  const waiting: Array<() => void> = [];
  const takenBack = new WeakMap<ServerHttp2Session, { count: number; since: number }>();
  let left = aTurn;
  let isDue = false;
  const due = (): void => {
    if (isDue) return;
    isDue = true;
    setImmediate(turn);
  };
  const turn = (): void => {
    isDue = false;
    left = aTurn;
    while (left > 0 && waiting.length > 0) waiting.shift()?.();
    if (waiting.length > 0) due();
  };
  const take = (begun: Begun, session: ServerHttp2Session | undefined): void => {
    if (isTakenBack(begun[0])) {
      note(session);
      return;
    }
    left -= 1;
    begin('stream', ...begun);
  };
  const note = (session: ServerHttp2Session | undefined): void => {
    if (session === undefined || session.destroyed) return;
    const now = performance.now();
    const before = takenBack.get(session);
    const kept = before === undefined || now - before.since > withinMs ? { count: 0, since: now } : before;
    kept.count += 1;
    takenBack.set(session, kept);
    if (kept.count > mostTakenBack) session.destroy(undefined, constants.NGHTTP2_ENHANCE_YOUR_CALM);
  };
  server.emit = ((event: string, ...given: unknown[]): boolean => {
    if (event !== 'stream') return begin(event, ...given);
    const begun = given as Begun;
    // One that has ended knows its session no more.
    const session = begun[0].session as ServerHttp2Session | undefined;
    if (waiting.length === 0 && left > 0) take(begun, session);
    else waiting.push(() => take(begun, session));
    // Also where all began at once: the next turn has its full number again.
    due();
    return true;
  }) as typeof server.emit;
}

function isTakenBack({ destroyed, closed, aborted, rstCode, session }: ServerHttp2Stream): boolean {
  return destroyed || closed || aborted || rstCode !== constants.NGHTTP2_NO_ERROR || session?.destroyed !== false;
}
