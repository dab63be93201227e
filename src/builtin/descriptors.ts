import { readFileSync } from 'node:fs';

/** What Linux gives a process where nothing is said. */
const usual = 1024;
/** For files, listeners and Node itself. */
const reserved = 64;

/**
 * How many visitors' connections fit into the descriptors that this process may open, when each has one to a service beside it (getrlimit(2),
 * RLIMIT_NOFILE; Node raises its own limit as far as it may).
 */
export function mostConnections(): number {
  return Math.max(16, Math.floor((limit() - reserved) / 2));
}

function limit(): number {
  try {
    const soft = /^Max open files\s+(\d+)/m.exec(readFileSync('/proc/self/limits', 'utf8'))?.[1];
    return soft === undefined ? usual : Number(soft);
  } catch {
    return usual;
  }
}
