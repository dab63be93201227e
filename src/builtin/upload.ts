import type { Writable } from 'node:stream';
import { slowBodySeconds } from '../core/proxies/hardening.ts';
import type { AnyRequest } from './request.ts';

/** A body that grew longer than the road allows. */
export class TooLong extends Error {}

/**
 * Passes the body of a request on as it comes. It breaks off with `TooLong` where it grows too long, and the visitor's request ends where it stands
 * still. Whatever becomes of it at the service leaves the visitor's connection alone, so that a 502 can be said.
 *
 * @property most bytes; null: as long as it likes @property moved called when some of it has come
 */
export function passUpload(
  request: AnyRequest,
  service: Writable,
  { most, moved }: { most: number | null; moved: () => void },
): void {
  let length = 0;
  const patience = setTimeout(() => {
    // While it is the service that does not take more, nobody is to blame.
    if (request.isPaused()) patience.refresh();
    else request.destroy();
  }, slowBodySeconds * 1000);
  const onData = (chunk: Buffer): void => {
    patience.refresh();
    moved();
    length += chunk.length;
    if (most === null || length <= most) return;
    request.off('data', onData);
    request.unpipe(service);
    service.destroy(new TooLong('the upload is longer than is allowed'));
  };
  request.on('data', onData);
  request.pipe(service);
  for (const event of ['end', 'close']) request.once(event, () => clearTimeout(patience));
  service.once('close', () => request.unpipe(service));
}
