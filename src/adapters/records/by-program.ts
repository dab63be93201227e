import { spawn } from 'node:child_process';
import { join } from 'node:path';
import type { SetChange } from '../../core/records/change.ts';
import { shellWord } from '../../core/shell-word.ts';
import { asOwnerOf } from '../processes/as-owner.ts';
import { reasonOf, Trouble } from '../trouble.ts';
import type { ReadWay } from './way.ts';

/** A program of the map: ACT NAME TYPE VALUE for each record. For root it runs as the owner of the map's folder. */
export const byProgram: ReadWay = (dns, folder) => {
  if (dns.program === null) return Promise.resolve(null);
  const [first = '', ...rest] = dns.program;
  const program = [first.startsWith('.') ? join(folder, first) : first, ...rest];
  return Promise.resolve({
    isByHand: false,
    server: null,
    // After Ctrl-C the record must still be taken away.
    changeProof: ({ act, name, value }, { signal }) =>
      runProgram([...program, act, name, 'TXT', value], folder, act === 'add' ? signal : null),
    changeSets: async (_, changes, { signal }) => {
      for (const words of wordsFor(changes)) await runProgram([...program, ...words], folder, signal);
    },
  });
};

/** Removals first, since an alias may stand beside nothing. */
function wordsFor(changes: readonly SetChange[]): string[][] {
  const data = (records: SetChange['after']): string[] => records.map((one) => one.data);
  const removed = changes.flatMap(({ name, type, before, after }) =>
    data(before).flatMap((value) => (data(after).includes(value) ? [] : [['remove', name, type, value]])),
  );
  const added = changes.flatMap(({ name, type, before, after }) =>
    data(after).flatMap((value) => (data(before).includes(value) ? [] : [['add', name, type, value]])),
  );
  return [...removed, ...added];
}

/** Without a shell: nothing of a name or value can become a command. */
async function runProgram(
  [program = '', ...argv]: readonly string[],
  folder: string,
  signal: AbortSignal | null,
): Promise<void> {
  const child = spawn(program, argv, {
    stdio: ['ignore', 'ignore', 'inherit'],
    ...asOwnerOf(folder),
    ...(signal === null ? {} : { signal }),
  });
  const ended = await new Promise<string | null>((resolve) => {
    child.once('error', (error) => resolve(reasonOf(error)));
    child.once('close', (code) => resolve(code === 0 ? null : `it ended with code ${String(code)}`));
  });
  if (ended === null) return;
  const message = `The program ${program} did not publish the record: ${ended}.`;
  throw new Trouble({
    code: 'publish-failed',
    message,
    remedy: `Run it by hand: ${[program, ...argv].map(shellWord).join(' ')}`,
  });
}
