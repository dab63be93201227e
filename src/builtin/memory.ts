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

/**
 * Bytes on their way lie outside of V8's heap, but count as if it grew. A small heap would be searched whole for every 20 MB that pass, which takes
 * a third of the time; the cheap search of what is young, which finds them all, begins at 32 MB. So it may grow fivefold before it is searched.
 */
export function letBytesPass(): void {
  setFlagsFromString('--heap-growing-percent=400');
}
