import { fillWithThrowaway } from '../../adapters/certificates/practice.ts';
import { readCurrent } from '../../adapters/files/editions.ts';
import type { StatePaths } from '../../adapters/files/state-folder.ts';
import { reasonOf } from '../../adapters/trouble.ts';
import { startBuiltin, type BuiltinFront } from '../../builtin/server.ts';
import type { Plan } from '../../core/plan/plan.ts';
import { builtinRenderer, readPlan } from '../../core/proxies/builtin/renderer.ts';
import { rememberHsts } from './remember-hsts.ts';
import { digestOf, ensureLogs } from './write.ts';

interface ServeInput {
  plan: Plan;
  paths: StatePaths;
  now: Date;
  onTrouble: (message: string) => void;
}

/** Starts the builtin proxy for a plan. Names without a certificate get the throwaway one, so that the rest is served. */
export async function serve({ plan, paths, now, onTrouble }: ServeInput): Promise<BuiltinFront> {
  await fillWithThrowaway({ paths, certificates: plan.certificates, now });
  // In a container the folder may be read-only; what was written says it all the same.
  await rememberHsts(plan, paths, now).catch((error: unknown) => onTrouble(reasonOf(error)));
  await ensureLogs(plan);
  return startBuiltin({
    plan,
    mark: `builtin ${digestOf(builtinRenderer.essence(plan, { current: '' }))}\n`,
    onTrouble,
  });
}

/** The plan that was last written for the builtin proxy, to be served when the map itself cannot be read. */
export async function lastWritten(paths: StatePaths): Promise<{ plan: Plan; edition: number } | null> {
  const current = await readCurrent(paths.front);
  const text = current?.files.find(({ path }) => path === builtinRenderer.entry)?.content;
  const plan = text === undefined ? null : readPlan(text);
  return current === null || plan?.front.proxy !== 'builtin' ? null : { plan, edition: current.number };
}
