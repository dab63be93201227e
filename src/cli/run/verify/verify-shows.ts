import { resolve } from 'node:path';
import { writeOwn } from '../../../adapters/files/own-file.ts';
import { newestOf } from '../../../core/legs/journal.ts';
import { vantageWords } from '../../../core/legs/way/vantage.ts';
import { metricsOf, metricsSign } from '../../../core/report/metrics.ts';
import { gatherReport } from '../../../use-cases/report/gather.ts';
import type { Site } from '../../../use-cases/map/load.ts';
import type { VerifyResult } from '../../../use-cases/verify/verify.ts';
import type { Io } from '../../io.ts';
import type { VerifyOptions } from './verify-options.ts';

/** Writes what shows a run elsewhere: the page, and the numbers for a collector. @param every milliseconds until the next run; null when there is none */
export async function showRun(
  site: Site,
  { report: page, metrics }: VerifyOptions,
  { findings, roads, vantage }: VerifyResult,
  { io, every }: { io: Io; every: number | null },
): Promise<void> {
  if (page === undefined && metrics === undefined) return;
  const now = io.now();
  const newest = newestOf(findings, roads, { at: now.toISOString(), vantage: vantageWords(vantage) });
  const report = await gatherReport({ site, now, env: io.env, newest });
  if (metrics !== undefined) await writeOwn(resolve(io.cwd, metrics), metricsOf({ ...report, newest }), metricsSign);
  if (page === undefined) return;
  // What draws the page is large.
  const { writePage } = await import('./report.ts');
  await writePage(page, report, { refresh: every ?? undefined, io });
}
