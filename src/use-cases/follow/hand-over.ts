import { readFoundFile, writeFoundFile, type FoundFile } from '../../adapters/files/found.ts';
import type { StatePaths } from '../../adapters/files/state-folder.ts';
import { Rounds, type Pace } from './rounds.ts';
import type { Source } from './source.ts';

interface HandOverInput {
  paths: StatePaths;
  source: Source;
  say: (words: string) => void;
  signal: AbortSignal;
  pace?: Pace;
}

/** The half of `follow` that has the engine's socket: writes down what exists whenever it is otherwise, and touches nothing else. */
export async function handOver({ paths, source, say, signal, pace }: HandOverInput): Promise<void> {
  let written = await readFoundFile(paths.found);
  let problem: string | null = null;
  const rounds = new Rounds(async () => {
    const found: FoundFile = await source.read();
    if (found.problem !== problem) say(found.problem ?? 'the engine answers again');
    problem = found.problem;
    if (JSON.stringify(found) === JSON.stringify(written)) return;
    await writeFoundFile(paths, found);
    written = found;
    say(`found ${String(found.facts?.containers.length ?? 0)} containers`);
  }, pace);
  source.start(() => rounds.news());
  try {
    await rounds.run(signal, () => source.doubt());
  } finally {
    source.stop();
  }
}
