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
  /** The Compose file says something new, so that the container has to be made anew. */
  remake: boolean;
}

/** A proxy that runs in a container of its own, as `write --compose` has it: it reads nothing but our files. */
export function inContainer({ container: name, engine, words, map, remake }: InContainerInput): InstalledProxy {
  const container = new EngineContainer(engine, name);
  const carriedOut = async (work: () => Promise<Tried>): Promise<Tried> =>
    work().catch((error: unknown) => ({ passed: false, output: reasonOf(error) }));
  const testWith = (_: string, swaps: readonly Swap[]): Promise<Tried> =>
    carriedOut(async () => {
      if (words.test === null) return { passed: true, output: '' };
      // The one that runs may not have what the new one gets.
      if (remake) return untested;
      const binds = swaps.map(({ instead, of }) => `${instead}:${of}:ro`);
      const ended = await container.runBeside(words.test(statePaths(map).front), binds, patienceMs);
      // Before the first start there is none to be like; whether it comes up is seen by its mark.
      if (ended === null) return untested;
      return { passed: ended.code === 0, output: ended.code === 0 ? '' : firstLine(ended.err) };
    });
  return {
    placeFor: () => Promise.resolve({ how: 'read' }),
    testWith,
    reload: () =>
      carriedOut(async () => {
        if (remake || (await container.isRunning()) !== true)
          return { passed: false, output: 'it does not run', stopped: true };
        await container.signal(words.signal);
        return { passed: true, output: '' };
      }),
    start: () =>
      carriedOut(async () => {
        if (remake || (await container.isRunning()) === null) return madeByCompose(map, engine);
        await container.start();
        return { passed: true, output: '' };
      }),
    stop: () =>
      carriedOut(async () => {
        if ((await container.isRunning()) === true) await container.stop();
        return { passed: true, output: '' };
      }),
    mark: async ({ address, port }) => {
      const asked = await container.run(words.ask(`http://${address}:${String(port)}/mark`)).catch(() => null);
      return asked?.code === 0 ? asked.out.trim() : null;
    },
  };
}

/** The engine's own program for Compose files makes it, and makes it anew where the file says something else. */
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
