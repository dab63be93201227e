import { parentPort } from 'node:worker_threads';
import { fits } from '../adapters/people/verify-hash.ts';

/** Beside the loop that serves everybody: hashing is slow on purpose. */
parentPort?.on('message', ({ id, password, hash }: { id: number; password: string; hash: string }) => {
  parentPort?.postMessage({ id, fits: fits(password, hash) });
});
