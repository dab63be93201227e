import pLimit from 'p-limit';
import { sortFindings, type Finding } from '../../core/findings/finding.ts';
import { withRate } from '../../core/legs/bypass.ts';
import { explainAway, findingsOf, type ExplainedAway, type LegResult, type RoadLegs } from '../../core/legs/leg.ts';
import type { Vantage } from '../../core/legs/vantage.ts';
import type { Plan, PlannedRoad } from '../../core/plan/plan.ts';
import { Drive, type DriveInput } from './drive.ts';
import { places } from './limiter.ts';
import { whereToDrive } from './where-to-test.ts';

export interface VerifyInput extends DriveInput {
  roads: readonly PlannedRoad[];
  concurrency: number;
  onProgress: (done: number, of: number) => void;
}

/** @property away what follows from something that is told @property vantage from where it was looked */
export interface VerifyResult {
  addresses: string[];
  roads: RoadLegs[];
  findings: Finding[];
  away: ExplainedAway[];
  vantage: Vantage;
}

/** A road that is begun holds what its front answered; of a thousand only so many are. */
const mostBegun = 64;

/** Drives every road from its name to its service and judges what comes back, whoever configured the front. */
export async function verifyRoads(input: VerifyInput): Promise<VerifyResult> {
  const { plan, roads, at, sight, onProgress, concurrency } = input;
  const addresses = at === null ? await whereToDrive({ plan, names: sight.names }) : [at.address];
  const drive = new Drive(input, addresses, roads, places(concurrency));
  await drive.prepare();
  let done = 0;
  const begun = pLimit(mostBegun);
  const driven = await Promise.all(
    roads.map((road) =>
      begun(async () => {
        const legs = await drive.road(road);
        done += 1;
        onProgress(done, roads.length);
        return { road: road.name, legs };
      }),
    ),
  );
  await tryRates(drive, roads, driven);
  const { told, away } = explainAway(driven);
  const findings = sortFindings(placed(findingsOf(told), plan));
  return { addresses, roads: told, findings, away, vantage: drive.vantage() };
}

/** One road after the other, since each makes the front slow this machine down. */
async function tryRates(drive: Drive, roads: readonly PlannedRoad[], driven: RoadLegs[]): Promise<void> {
  for (const [index, road] of roads.entries()) {
    const rate = await drive.afterwards(road);
    const one = driven[index];
    if (rate === null || one === undefined) continue;
    one.legs = one.legs.map((leg): LegResult => (leg.leg === 'bypass' ? withRate(leg, road, rate) : leg));
  }
}

/** Findings of a single road point at its line of the map. */
function placed(findings: readonly Finding[], plan: Plan): Finding[] {
  return findings.map((finding) => {
    const road = finding.roads.length === 1 ? plan.roads.find(({ name }) => name === finding.roads[0]) : undefined;
    return road === undefined ? finding : { ...finding, where: road.leadsWhere };
  });
}
