import { open, stat } from 'node:fs/promises';
import { setTimeout as delay } from 'node:timers/promises';
import { parseAddress } from '../../core/networks/address.ts';
import type { PlannedRoad } from '../../core/plan/plan.ts';

/** What the front writes down while it is driven. */
export interface FrontLog {
  /** The last line of its error log that names the road, or null. */
  lastError: (road: PlannedRoad) => Promise<string | null>;
  /** The address that the front saw when it answered a request of ours with a status, or null when it does not say. */
  addressSeen: (road: PlannedRoad, status: number) => Promise<string | null>;
}

/** So much of the end of a log is read. */
const mostBytes = 256 * 1024;

/**
 * Reads along in the front's error log, and in the logs that the map gives to roads, from where they end now: what stood there before is not
 * about this run.
 *
 * @param errorLog null when there is none, or none that may be read
 */
export async function readAlong(errorLog: string | null, roads: readonly PlannedRoad[]): Promise<FrontLog> {
  const files = [errorLog, ...roads.map(({ rules }) => rules.log)].filter((file) => typeof file === 'string');
  const begins = new Map(
    await Promise.all([...new Set(files)].map(async (file) => [file, await lengthOf(file)] as const)),
  );
  const since = (file: string): Promise<string[]> => linesFrom(file, begins.get(file) ?? 0);
  return {
    lastError: async ({ name }) => {
      if (errorLog === null) return null;
      return (await since(errorLog)).filter((line) => line.includes(name)).at(-1) ?? null;
    },
    addressSeen: async ({ name, rules: { log } }, status) => {
      const errors = errorLog === null ? [] : (await since(errorLog)).filter((line) => line.includes(name));
      const told = errors.flatMap((line) => /\bclient: ([0-9a-fA-F.:]+),/.exec(line)?.[1] ?? []).at(-1);
      if (told !== undefined) return parseAddress(told);
      if (typeof log !== 'string' || !begins.has(log)) return null;
      const asked = new RegExp(`^(\\S+) .* ${String(status)} \\S+ "[^"]*" "mile-marker verify"$`);
      // The line comes when the answer has gone.
      for (let tries = 0; tries < 5; tries += 1) {
        const seen = (await since(log)).flatMap((line) => asked.exec(line)?.[1] ?? []).at(-1);
        if (seen !== undefined) return parseAddress(seen);
        await delay(40);
      }
      return null;
    },
  };
}

async function lengthOf(file: string): Promise<number> {
  try {
    return (await stat(file)).size;
  } catch {
    return 0;
  }
}

async function linesFrom(file: string, begin: number): Promise<string[]> {
  try {
    const handle = await open(file, 'r');
    try {
      const { size } = await handle.stat();
      // A file that has become shorter was begun anew.
      const from = Math.max(size < begin ? 0 : begin, size - mostBytes);
      const buffer = Buffer.alloc(size - from);
      await handle.read(buffer, 0, buffer.length, from);
      return buffer
        .toString('utf8')
        .split('\n')
        .filter((line) => line !== '');
    } finally {
      await handle.close();
    }
  } catch {
    return [];
  }
}
