import { readFile } from 'node:fs/promises';

/**
 * What the kernel says of the start of a process (proc(5), /proc/PID/stat, field 22); null when there is none, or only what is left of one that ended.
 * The name before it may hold anything.
 */
export async function startOf(pid: number): Promise<string | null> {
  const stat = await readFile(`/proc/${String(pid)}/stat`, 'latin1').catch(() => null);
  const [state, ...rest] = stat?.slice(stat.lastIndexOf(')') + 2).split(' ') ?? [];
  return state === 'Z' ? null : (rest[18] ?? null);
}
