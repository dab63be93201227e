import { startOf } from '../host/process-id.ts';
import { until } from '../processes/until.ts';
import { codeOf, reasonOf } from '../trouble.ts';
import type { Tried } from './adapter.ts';

/** How long a server may take to answer what it has begun, before it is ended all the same. */
const graceMs = 5000;

/**
 * Ends a server by its main process: first it may answer what it has begun.
 *
 * @param gently the signal that asks it to end by itself, as its manual has it
 */
export async function endProcess(pid: number | null, gently: NodeJS.Signals): Promise<Tried> {
  const passed: Tried = { passed: true, output: '' };
  if (pid === null) return passed;
  const started = await startOf(pid);
  if (started === null) return passed;
  const isGone = async (): Promise<boolean> => (await startOf(pid)) !== started;
  for (const signal of [gently, 'SIGTERM'] as const) {
    try {
      process.kill(pid, signal);
    } catch (error) {
      if (codeOf(error) === 'ESRCH') return passed;
      return { passed: false, output: `process ${String(pid)} cannot be told: ${reasonOf(error)}` };
    }
    if (await until(isGone, { withinMs: graceMs })) return passed;
  }
  return { passed: false, output: `process ${String(pid)} does not end` };
}

/** Whether a process is there. @param pid null when none is known */
export async function isAlive(pid: number | null): Promise<boolean> {
  return pid !== null && (await startOf(pid)) !== null;
}
