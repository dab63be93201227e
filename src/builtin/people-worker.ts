import { parentPort } from 'node:worker_threads';
import { fits } from '../adapters/people/verify-hash.ts';

/** Beside the loop that serves everybody: hashing is slow on purpose. */
parentPort?.on('message', ({ password, hash }: { password: string; hash: string }) => {
  parentPort?.postMessage(fits(password, hash));
});
