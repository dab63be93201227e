import { setFlagsFromString } from 'node:v8';
import { runInNewContext } from 'node:vm';

let collect: (() => void) | null = null;

/**
 * Has V8 give back what is no longer used, which takes some hundredths of a second. By itself it looks for that only while it needs more, which after a
 * burst of connections may be never; its own collector is reached by a flag alone, which takes effect in contexts that are made after it
 * (v8.setFlagsFromString).
 */
export function giveBack(): void {
  if (collect === null) {
    setFlagsFromString('--expose-gc');
    collect = runInNewContext('gc') as () => void;
  }
  // What the first round finds lets go of memory outside of V8, which the second one gives back.
  collect();
  collect();
}
