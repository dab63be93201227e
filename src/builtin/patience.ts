import { idleSeconds, slowBodySeconds, slowHeadSeconds } from '../core/front-limits.ts';

/** How long visitors are waited for, in milliseconds. */
export interface Patience {
  /** For a handshake, the head of a request, and the first request of a connection. */
  headMs: number;
  /** For the next request of a connection. */
  idleMs: number;
  /** While a body stands still. */
  bodyMs: number;
  /** For the rest of an upload that has its answer already, so that the visitor gets to see it. */
  lingerMs: number;
}

export const usualPatience: Patience = {
  headMs: slowHeadSeconds * 1000,
  idleMs: idleSeconds * 1000,
  bodyMs: slowBodySeconds * 1000,
  lingerMs: 10_000,
};
