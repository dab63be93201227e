import type { EngineFacts } from '../../adapters/engine/read-engine.ts';

/**
 * What an engine said last.
 *
 * @property facts null when it has not answered yet, or there is none
 * @property problem what is wrong with asking it now, in a sentence; null when nothing is
 */
export interface Heard {
  facts: EngineFacts | null;
  problem: string | null;
}

/** Where `follow` learns what exists: an engine itself, or what another process found there. */
export interface Source {
  /** Begins to listen; `onNews` is called whenever `read` may say something else. */
  start: (onNews: () => void) => void;
  read: () => Promise<Heard>;
  /** The next `read` is to look at everything anew, whatever was told. */
  doubt: () => void;
  stop: () => void;
}

/** Where there is no engine to ask. */
export const noSource: Source = {
  start: () => undefined,
  read: () => Promise.resolve({ facts: null, problem: null }),
  doubt: () => undefined,
  stop: () => undefined,
};
