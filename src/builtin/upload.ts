import type { Writable } from 'node:stream';
import { cancel, type AnyRequest } from './request.ts';
import type { Services, Waiting } from './services.ts';

/** A body that grew longer than the road allows. */
export class TooLong extends Error {}

interface UploadInput {
  services: Services;
  /** How long it may stand still, in milliseconds. */
  stillMs: number;
  /** In bytes; null: as long as it likes. */
  most: number | null;
  /** Called when some of it has come. */
  moved: () => void;
}

/**
 * Passes the body of a request on as it comes. It breaks off with `TooLong` where it grows too long, and the visitor's request ends where it stands
 * still. Whatever becomes of it at the service leaves the visitor's connection alone, so that a 502 can be said: `pipeline` would end that too.
 */
export function passUpload(
  request: AnyRequest,
  service: Writable,
  { services, stillMs, most, moved }: UploadInput,
): void {
  let length = 0;
  const patience: Waiting = {
    expires: 0,
    expire: () => {
      // While it is the service that does not take more, nobody is to blame.
      if (service.writableNeedDrain) wait();
      else cancel(request);
    },
  };
  const wait = (): void => void (patience.expires = services.now + stillMs);
  const onData = (chunk: Buffer): void => {
    wait();
    moved();
    length += chunk.length;
    if (most !== null && length > most) service.destroy(new TooLong('the upload is longer than is allowed'));
    else if (!service.write(chunk)) request.pause();
  };
  wait();
  services.watch(patience);
  request.on('data', onData);
  request.on('end', () => service.end());
  request.on('close', () => services.unwatch(patience));
  service.on('drain', () => request.resume());
  service.on('close', () => {
    services.unwatch(patience);
    request.off('data', onData);
  });
}
