import { stat } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import type { ContainedProxy } from '../../core/proxies/program.ts';
import { frontComposeFile } from '../../core/proxies/front-compose.ts';
import { statePaths } from '../files/state-folder.ts';
import { EngineContainer } from '../engine/container.ts';
import type { EngineAddress } from '../engine/address.ts';
import { composeCommand } from '../host/compose-command.ts';
import { runQuiet } from '../processes/run-quiet.ts';
import { reasonOf } from '../trouble.ts';
import { patienceMs, type InstalledProxy, type Swap, type Tried } from './adapter.ts';

interface InContainerInput {
  container: string;
  engine: EngineAddress;
  /** What is said to the program inside. */
  words: ContainedProxy;
  /** Absolute path of the map; the Compose file of the front lies beside it. */
  map: string;
}

/** A proxy that runs in a container of its own, as `write --compose` has it: it reads nothing but our files. */
export function inContainer({ container: name, engine, words, map }: InContainerInput): InstalledProxy {
  const container = new EngineContainer(engine, name);
  // Of a file that is newer than the container, the engine's own program sees whether it says something else.
  const isCurrent = async (): Promise<boolean> => {
    const state = await container.state();
    const file = await stat(join(dirname(map), frontComposeFile)).catch(() => null);
    return state !== null && (file === null || file.mtime <= state.made);
  };
  const carriedOut = async (work: () => Promise<Tried>): Promise<Tried> =>
    work().catch((error: unknown) => ({ passed: false, output: reasonOf(error) }));
  const testWith = (_: string, swaps: readonly Swap[]): Promise<Tried> =>
    carriedOut(async () => {
      if (words.test === null) return { passed: true, output: '' };
      // The one that runs may not have what the new one gets.
      if (!(await isCurrent())) return untested;
      const binds = swaps.map(({ instead, of }) => `${instead}:${of}:ro`);
      const ended = await container.runBeside(words.test(statePaths(map).front), binds, patienceMs);
      // Before the first start there is none to be like; whether it comes up is seen by its mark.
      if (ended === null) return untested;
      return { passed: ended.code === 0, output: ended.code === 0 ? '' : firstLine(ended.err) };
    });
  return {
    isOwn: true,
    runs: () =>
      container.state().then(
        (state) => state?.running === true,
        () => false,
      ),
    placeFor: () => Promise.resolve({ how: 'read' }),
    testWith,
    reload: () =>
      carriedOut(async () => {
        if (!(await isCurrent()) || (await container.state())?.running !== true)
          return { passed: false, output: 'it does not run', stopped: true };
        await container.signal(words.signal);
        return { passed: true, output: '' };
      }),
    start: () =>
      carriedOut(async () => {
        const before = await container.state();
        const made = (await isCurrent()) ? null : await madeByCompose(map, engine);
        if (made?.passed === false) return made;
        const after = await container.state();
        // Made anew it has read everything; the same one that runs on has not.
        const isSame = before?.running === true && before.made.getTime() === after?.made.getTime();
        if (isSame) await container.signal(words.signal);
        else if (made === null) await container.start();
        return { passed: true, output: '' };
      }),
    stop: () =>
      carriedOut(async () => {
        if ((await container.state())?.running === true) await container.stop();
        return { passed: true, output: '' };
      }),
    mark: async ({ address, port }) => {
      const asked = await container.run(words.ask(`http://${address}:${String(port)}/mark`)).catch(() => null);
      return asked?.code === 0 ? asked.out.trim() : null;
    },
    lastError: () => container.lastError().catch(() => null),
  };
}

/** Started with the engine's own Compose command, which recreates it when the file has changed. */
async function madeByCompose(map: string, engine: EngineAddress): Promise<Tried> {
  const [program = '', ...argv] = composeCommand().split(' ');
  const file = join(dirname(map), frontComposeFile);
  const all = [...argv, '-f', file, 'up', '-d'];
  const { code, err, cause } = await runQuiet(program, all, patienceMs, { ...process.env, DOCKER_HOST: engine.shown });
  if (code === 0) return { passed: true, output: '' };
  return { passed: false, output: cause === null ? lastLine(err) : `${program} cannot be run (${reasonOf(cause)})` };
}

const untested: Tried = { passed: false, output: '', untested: true };

const linesOf = (text: string): string[] =>
  text
    .split('\n')
    .map((line) => line.trim())
    .filter((line) => line !== '');
const firstLine = (text: string): string => linesOf(text)[0] ?? 'it gives no reason';
const lastLine = (text: string): string => linesOf(text).at(-1) ?? 'it gives no reason';
