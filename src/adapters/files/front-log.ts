import { randomBytes } from 'node:crypto';
import { open, stat } from 'node:fs/promises';
import { setTimeout as delay } from 'node:timers/promises';
import { readLogLine } from '../../core/proxies/log-line.ts';
import { parseAddress } from '../../core/networks/address.ts';
import type { PlannedRoad } from '../../core/plan/plan.ts';

/** What the front writes down while it is tested. @property sign goes along as Referer with what must be found again in the logs */
export interface FrontLog {
  sign: string;
  /** The last line of its error log that names the road, or null. */
  lastError: (road: PlannedRoad) => Promise<string | null>;
  /** The address that the front saw at the last request that bore the sign, or null when it does not say. */
  addressSeen: (road: PlannedRoad) => Promise<string | null>;
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
  const sign = `mile-marker-${randomBytes(8).toString('hex')}`;
  return {
    sign,
    lastError: async ({ name }) => {
      if (errorLog === null) return null;
      // Not of a name that only ends in this one.
      const named = new RegExp(`(^|[^a-z0-9.-])${name.replaceAll('.', '\\.')}([^a-z0-9-]|$)`, 'i');
      return (await since(errorLog)).filter((line) => named.test(line) && !readLogLine(line).isTalk).at(-1) ?? null;
    },
    addressSeen: async ({ rules: { log } }) => {
      const refused = errorLog === null ? null : clientIn(await since(errorLog), (line) => readLogLine(line).client);
      if (refused !== null || typeof log !== 'string' || !begins.has(log)) return refused;
      // The line comes when the answer has gone.
      for (let tries = 0; tries < 5; tries += 1) {
        const seen = clientIn(await since(log), (line) => /^(\S+) /.exec(line)?.[1] ?? null);
        if (seen !== null) return seen;
        await delay(40);
      }
      return null;
    },
  };

  /** Others may be refused at the same time; what is ours bears the sign. */
  function clientIn(lines: readonly string[], clientOf: (line: string) => string | null): string | null {
    const told = lines.filter((line) => line.includes(sign)).flatMap((line) => clientOf(line) ?? []);
    const last = told.at(-1);
    return last === undefined ? null : parseAddress(last);
  }
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
