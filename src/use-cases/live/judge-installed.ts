import { alteredFiles, readCurrent } from '../../adapters/files/editions.ts';
import type { Limits } from '../../adapters/probe/connect.ts';
import type { Finding } from '../../core/findings/finding.ts';
import { judgeInstalled } from '../../core/live/installed.ts';
import type { Site } from '../map/load.ts';
import { readRunning } from '../verify/running.ts';

/** Holds what was written last against what lies there and what the front of this machine says that it runs. */
export async function judgeInstalledFront(site: Site, limits: Limits): Promise<Finding[]> {
  const edition = await readCurrent(site.paths.front);
  const running = await readRunning(site, limits);
  const current =
    edition === null ? null : { number: edition.number, digest: edition.digest, ...alteredFiles(edition) };
  return judgeInstalled({ plan: site.plan, current, runs: running?.runs ?? null });
}
