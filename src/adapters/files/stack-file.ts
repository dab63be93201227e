import { createHash } from 'node:crypto';
import { dirname, join } from 'node:path';
import { planPath, readPlan } from '../../core/proxies/builtin/renderer.ts';
import { readOnly } from '../../core/proxies/compose-parts.ts';
import { foldersOfMap } from '../../core/proxies/front-compose.ts';
import { frontStack, frontStackHeader, frontStackFile, stackFileName } from '../../core/proxies/front-stack.ts';
import { Trouble } from '../trouble.ts';
import { markText, type Edition } from './editions.ts';
import { writeOwn } from './own-file.ts';
import { statePaths } from './state-folder.ts';
import { stackFiles } from './stack-files.ts';

/**
 * The stack file of an edition.
 *
 * @property path where it belongs, beside the map @property sum over all that the service is made of
 * @property names of its configs and secrets
 * @property binds what a container on this machine needs to read the same
 */
export interface StackText {
  path: string;
  text: string;
  sum: string;
  names: ReadonlySet<string>;
  nodes: readonly string[];
  image: string;
  binds: readonly string[];
}

/**
 * Makes the stack file of an edition out of that edition alone, so that every one of them can be gone back to.
 *
 * @param map absolute path of the map @throws Trouble `file-not-for-cluster`, `edition-not-for-cluster`
 */
export async function stackOf(edition: Edition, map: string): Promise<StackText> {
  const paths = statePaths(map);
  const plan = readPlan(edition.files.find(({ path }) => path === planPath)?.content ?? '');
  if (plan?.front.cluster === null || plan === null) throw notFor(edition);
  const files = await stackFiles(plan, edition, paths);
  const folders = { front: paths.front, certificates: paths.certificates };
  const made = (sum: string): ReturnType<typeof frontStack> =>
    frontStack({ plan, files, mark: markText(edition), mapFile: map, folders, sum });
  const sum = createHash('sha256').update(made('').text).digest('hex');
  return {
    path: join(dirname(map), frontStackFile),
    ...made(sum),
    sum,
    names: new Set(files.map(stackFileName)),
    nodes: plan.front.cluster.nodes,
    binds: [paths.front, paths.certificates, ...foldersOfMap(plan, map)].map(readOnly),
  };
}

/** Writes it beside the map. @throws Trouble `not-ours` where something else stands there */
export async function writeStack(edition: Edition, map: string): Promise<StackText> {
  const stack = await stackOf(edition, map);
  await writeOwn(stack.path, stack.text, frontStackHeader);
  return stack;
}

function notFor({ number }: Edition): Trouble {
  return new Trouble({
    code: 'edition-not-for-cluster',
    message: `Edition ${String(number)} was not written for a front on nodes of a cluster.`,
    remedy: 'Go to one that was: mile-marker editions',
  });
}
