import { fillWithThrowaway } from '../../adapters/certificates/practice.ts';
import { markText, readCurrent } from '../../adapters/files/editions.ts';
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
  /** What the mark listener answers; default: what the plan itself makes. */
  mark?: string;
  onTrouble: (message: string) => void;
}

/** Starts the builtin proxy for a plan. Names without a certificate get the throwaway one, so that the rest is served. */
export async function serve(input: ServeInput): Promise<BuiltinFront> {
  await makeReady(input);
  const { plan, mark = markOf(plan), onTrouble } = input;
  return startBuiltin({ plan, mark, onTrouble });
}

/** Has a front that runs serve another plan, without losing anybody. */
export async function serveNext(front: BuiltinFront, input: ServeInput): Promise<void> {
  await makeReady(input);
  const { plan, mark = markOf(plan) } = input;
  await front.takeUp({ plan, mark });
}

async function makeReady({ plan, paths, now, onTrouble }: ServeInput): Promise<void> {
  await fillWithThrowaway({ paths, certificates: plan.certificates, now });
  // In a container the folder may be read-only; what was written says it all the same.
  await rememberHsts(plan, paths, now).catch((error: unknown) => onTrouble(reasonOf(error)));
  await ensureLogs(plan);
}

function markOf(plan: Plan): string {
  return `builtin ${digestOf(builtinRenderer.essence(plan, []))}\n`;
}

/** @property mark of the edition */
export interface Written {
  plan: Plan;
  edition: number;
  mark: string;
}

/** The plan that was last written for the builtin proxy, to be served when the map itself cannot be read. */
export async function lastWritten(paths: StatePaths): Promise<Written | null> {
  const current = await readCurrent(paths.front);
  const text = current?.files.find(({ path }) => path === builtinRenderer.entry)?.content;
  const plan = text === undefined ? null : readPlan(text);
  return current === null || plan?.front.proxy !== 'builtin'
    ? null
    : { plan, edition: current.number, mark: `${markText(current)}\n` };
}
