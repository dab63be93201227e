import { readNewest, readRuns } from '../../adapters/files/runs.ts';
import type { NewestRun } from '../../core/legs/journal.ts';
import { makeReport, type Report } from '../../core/report/report.ts';
import { realOne } from '../../core/certificates/lack.ts';
import { judgeSite, readHeld, type Site } from '../map/load.ts';
import { peopleOf } from '../map/people-of.ts';

interface GatherInput {
  site: Site;
  now: Date;
  env: Readonly<Record<string, string | undefined>>;
  /** A run that has just ended; default: the newest one that is stored. */
  newest?: NewestRun;
}

/** Gathers what a report shows of a map. Sends nothing over the network. @throws Trouble `journal-unreadable`, `run-unreadable` */
export async function gatherReport({ site, now, env, newest }: GatherInput): Promise<Report> {
  const { plan, paths } = site;
  const held = readHeld(plan);
  return makeReport({
    plan,
    newest: newest ?? (await readNewest(paths)),
    entries: await readRuns(paths),
    findings: await judgeSite(site, { now, env }),
    certificates: new Map(plan.certificates.map(({ id }) => [id, realOne(held.get(id))])),
    people: peopleOf(site),
    now: now.getTime(),
  });
}
