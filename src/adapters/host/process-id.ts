import { readFile, readlink } from 'node:fs/promises';

/**
 * What the kernel says of the start of a process (proc(5), /proc/PID/stat, field 22); null when there is none, or only what is left of one that ended.
 * The name before it may hold anything.
 */
export async function startOf(pid: number): Promise<string | null> {
  const stat = await readFile(`/proc/${String(pid)}/stat`, 'latin1').catch(() => null);
  const [state, ...rest] = stat?.slice(stat.lastIndexOf(')') + 2).split(' ') ?? [];
  return state === 'Z' ? null : (rest[18] ?? null);
}

/** The boot, and the processes that numbers count among (pid_namespaces(7)): a number means nothing elsewhere. */
export async function spaceHere(): Promise<string> {
  const boot = await readFile('/proc/sys/kernel/random/boot_id', 'latin1').catch(() => '');
  const pids = await readlink('/proc/self/ns/pid').catch(() => '');
  return `${boot.trim()} ${pids}`;
}
