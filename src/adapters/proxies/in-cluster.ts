import { setTimeout as pause } from 'node:timers/promises';
import type { ProxyName } from '../../core/proxies/names.ts';
import { programOf } from '../../core/proxies/programs.ts';
import { frontStackName } from '../../core/plan/where-front.ts';
import type { EngineAddress } from '../engine/address.ts';
import { ClusterFront, type FrontOfCluster } from '../engine/cluster-front.ts';
import { runInImage } from '../engine/container.ts';
import { markText, readCurrent } from '../files/editions.ts';
import { stackOf, writeStack, type StackText } from '../files/stack-file.ts';
import { statePaths } from '../files/state-folder.ts';
import { runQuiet } from '../processes/run-quiet.ts';
import { reasonOf } from '../trouble.ts';
import { markPatienceMs, patienceMs, type InstalledProxy, type Swap, type Tried } from './adapter.ts';

interface InClusterInput {
  /** Name of its service in the stack. */
  service: string;
  /** A manager. */
  engine: EngineAddress;
  proxy: ProxyName;
  /** Absolute path of the map; the stack file lies beside it. */
  map: string;
}

const passed: Tried = { passed: true, output: '' };

/** A proxy that is a service of a cluster, as `write --cluster` has it: its nodes are given the newest edition one after the other. */
export function inCluster({ service, engine, proxy, map }: InClusterInput): InstalledProxy {
  const cluster = new ClusterFront(engine, service);
  const { contained } = programOf(proxy);
  const carriedOut = async (work: () => Promise<Tried>): Promise<Tried> =>
    work().catch((error: unknown) => ({ passed: false, output: reasonOf(error) }));
  const docker = (...argv: string[]): Promise<string | null> => stackCommand(engine, argv);

  const deploy = async (): Promise<Tried> => {
    const edition = await readCurrent(statePaths(map).front);
    if (edition === null) return { passed: false, output: 'nothing is written yet' };
    const stack = await writeStack(edition, map);
    const unknown = await cluster.labelNodes(stack.nodes);
    if (unknown.length > 0) return { passed: false, output: `the cluster has no node called ${unknown.join(', ')}` };
    const problem = await docker('deploy', '--resolve-image', 'changed', '-c', stack.path, frontStackName);
    if (problem !== null) return { passed: false, output: problem };
    const stuck = await untilOn(cluster, stack);
    if (stuck !== null) {
      const said = await cluster.lastError().catch(() => null);
      return { passed: false, output: said === null ? stuck : `${stuck}. It said last: ${said.replace(/\.$/, '')}` };
    }
    await cluster.removeSpare(stack.names);
    return passed;
  };

  const testWith = (_: string, swaps: readonly Swap[]): Promise<Tried> =>
    carriedOut(async () => {
      const edition = await readCurrent(statePaths(map).front);
      if (edition === null || contained?.test === null || contained === null) return untested;
      const { image, binds } = await stackOf(edition, map);
      const argv = contained.test(statePaths(map).front);
      const changed = swaps.map(({ instead, of }) => `${instead}:${of}:ro`);
      const ended = await runInImage(engine, { image, argv, binds: [...binds, ...changed] }, patienceMs);
      // No node of the front may be here, nor its image.
      if (ended === null) return untested;
      return ended.code === 0 ? passed : { passed: false, output: ended.err.trim().split('\n')[0] ?? '' };
    });

  return {
    isOwn: true,
    runs: async () => (await cluster.state().catch(() => null)) !== null,
    placeFor: () => Promise.resolve({ how: 'read' }),
    testWith,
    reload: () =>
      carriedOut(async () =>
        (await cluster.state()) === null ? { passed: false, output: 'it does not run', stopped: true } : await deploy(),
      ),
    start: () => carriedOut(deploy),
    stop: () =>
      carriedOut(async () => {
        if ((await cluster.state()) === null) return passed;
        const problem = await docker('rm', frontStackName);
        await cluster.labelNodes([]);
        return problem === null ? passed : { passed: false, output: problem };
      }),
    mark: async () => (await cluster.state().catch(() => null))?.mark ?? null,
    isBehind: async () => {
      const edition = await readCurrent(statePaths(map).front);
      const state = await cluster.state().catch(() => null);
      if (edition === null || state?.mark !== markText(edition)) return false;
      return (await stackOf(edition, map)).sum !== state.sum;
    },
    lastError: () => cluster.lastError().catch(() => null),
  };
}

const untested: Tried = { passed: false, output: '', untested: true };

/** The engine's own program for stacks. @returns what went wrong, or null */
async function stackCommand(engine: EngineAddress, argv: readonly string[]): Promise<string | null> {
  const env = { ...process.env, DOCKER_HOST: engine.shown };
  const { code, err, cause } = await runQuiet('docker', ['stack', ...argv], patienceMs, env);
  if (code === 0) return null;
  if (cause !== null) return `the engine's command \`docker\` cannot be run (${reasonOf(cause)})`;
  return err.trim().split('\n').at(-1) ?? 'it gives no reason';
}

/** So many tasks in a row that end at once are no chance; the engine starts another one each time. */
const mostFailures = 4;

/** Waits until every node of the front has it. @returns why it does not come to that, or null */
async function untilOn(cluster: ClusterFront, { sum, nodes }: StackText): Promise<string | null> {
  const until = Date.now() + markPatienceMs * Math.max(1, nodes.length);
  let state: FrontOfCluster | null = null;
  while (Date.now() < until) {
    state = await cluster.state();
    if (state?.sum !== sum && state?.isChanging === false) return wentBackWords(state);
    if (state?.sum === sum && state.failures >= mostFailures) break;
    if (state?.mark !== null && state?.sum === sum && !state.isChanging) return null;
    await pause(250);
  }
  if (state === null) return 'the cluster has made no service of it';
  const waiting = state.waiting.join(', ') || 'any node';
  return `the new edition is not answering on ${waiting}${because(state)}`;
}

function wentBackWords(state: FrontOfCluster): string {
  return `the new edition did not start on every node, so the cluster went back to the one before${because(state)}`;
}

function because({ error }: FrontOfCluster): string {
  return error === null ? '' : `: ${error.replace(/\.$/, '')}`;
}
