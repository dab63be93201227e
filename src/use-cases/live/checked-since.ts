import { readFile } from 'node:fs/promises';
import { join } from 'node:path';
import * as z from 'zod';
import { writeWhole } from '../../adapters/files/safe-write.ts';
import { ensureState } from '../../adapters/files/state-folder.ts';
import { sortFindings, type Finding } from '../../core/findings/finding.ts';
import { told, type Told } from '../../core/legs/journal.ts';
import { judgeSite, type Site } from '../map/load.ts';
import { judgeRenewal } from './judge-renewal.ts';

/** @property come what was not found the night before @property gone what was, and is not any more */
interface Checked {
  findings: Finding[];
  come: Told[];
  gone: Told[];
}

const kept = z.object({ told: z.array(told) });

/** What `check` finds wrong of the map and this machine, as a night tells it, and what of that came and went since the night before. */
export async function checkedSince(
  site: Site,
  world: { now: Date; env: Parameters<typeof judgeSite>[1]['env'] },
): Promise<Checked> {
  const judged = [...(await judgeSite(site, world)), ...(await judgeRenewal(site))];
  const findings = sortFindings(judged.filter(({ severity }) => severity !== 'note'));
  const now = findings.map(({ rule, severity, cause, roads, message }): Told => ({
    rule,
    severity,
    cause,
    roads,
    message,
  }));
  const file = join(site.paths.root, 'checked.json');
  const before = await readBefore(file);
  // What was seen is worth more than that it is kept.
  await ensureState(site.paths)
    .then(() => writeWhole(file, `${JSON.stringify({ told: now })}\n`))
    .catch(() => undefined);
  if (before === null) return { findings, come: [], gone: [] };
  const isIn = (list: readonly Told[], one: Told): boolean =>
    list.some(({ rule, message }) => rule === one.rule && message === one.message);
  return { findings, come: now.filter((one) => !isIn(before, one)), gone: before.filter((one) => !isIn(now, one)) };
}

async function readBefore(file: string): Promise<Told[] | null> {
  try {
    const found = kept.safeParse(JSON.parse(await readFile(file, 'utf8')));
    return found.success ? found.data.told : null;
  } catch {
    return null;
  }
}
