import { setFlagsFromString } from 'node:v8';
import { runInNewContext } from 'node:vm';

type Collect = (how: { type: 'major'; execution: 'async' }) => Promise<void>;

let collect: Collect | null = null;

/**
 * Has V8 give back what is no longer used. By itself it looks for that only while it needs more, which after a burst of connections may be never;
 * its own collector is reached by a flag alone, which takes effect in contexts that are made after it (v8.setFlagsFromString).
 */
export async function giveBack(): Promise<void> {
  if (collect === null) {
    setFlagsFromString('--expose-gc');
    collect = runInNewContext('gc') as Collect;
  }
  await collect({ type: 'major', execution: 'async' });
}
