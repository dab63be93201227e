import { readFound, writeFound, type EngineHeard } from '../../adapters/files/found.ts';
import { readText } from '../../adapters/files/read-text.ts';
import { ensureState, type StatePaths } from '../../adapters/files/state-folder.ts';
import { WatchedFiles } from '../../adapters/files/watched-files.ts';
import { readMap } from '../../core/map/read-map.ts';
import type { Followed } from './followed.ts';
import { Rounds, type Pace } from './rounds.ts';
import { problemsOf, type Source } from './source.ts';
import { sayProblems } from './say-problems.ts';

interface HandOverInput {
  mapFile: string;
  paths: StatePaths;
  source: Source;
  now: () => Date;
  say: (said: Followed) => void;
  signal: AbortSignal;
  pace?: Pace;
}

/** The half of `follow` that has the engine's socket: writes down what exists whenever it is otherwise, and touches nothing else. */
export async function handOver({ mapFile, paths, source, now, say, signal, pace }: HandOverInput): Promise<void> {
  let written = JSON.stringify((await readFound(paths.found))?.engines);
  let problems = new Map<string, string>();
  const rounds = new Rounds(async () => {
    const text = await readText({ path: mapFile, what: 'map' }).catch(() => '');
    const { map } = readMap({ file: mapFile, text });
    if (map !== null) source.use(map);
    const heard = await source.read();
    problems = sayProblems(problems, problemsOf(heard), say);
    const own: Record<string, EngineHeard> = heard.engine === null ? {} : { '': heard.engine };
    const engines = { ...own, ...Object.fromEntries(heard.machines) };
    if (JSON.stringify(engines) === written) return;
    await ensureState(paths);
    await writeFound(paths.found, { at: now().toISOString(), engines });
    written = JSON.stringify(engines);
    const containers = Object.values(engines).flatMap(({ facts }) => facts?.containers ?? []);
    say({ kind: 'found', containers: containers.length });
  }, pace);
  const files = new WatchedFiles(() => rounds.news());
  files.watch([mapFile]);
  source.start(() => rounds.news());
  try {
    await rounds.run(signal, () => source.doubt());
  } finally {
    files.stop();
    source.stop();
  }
}
