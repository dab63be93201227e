import pLimit from 'p-limit';
import { sortFindings, type Finding } from '../core/findings/finding.ts';
import { findingsOf, type RoadLegs } from '../core/legs/leg.ts';
import type { Plan, PlannedRoad } from '../core/plan/plan.ts';
import { whereToDrive } from './where-to-drive.ts';
import { Drive, type DriveInput } from './drive.ts';

export interface VerifyInput extends DriveInput {
  roads: readonly PlannedRoad[];
  concurrency: number;
  onProgress: (done: number, of: number) => void;
}

export interface VerifyResult {
  addresses: string[];
  roads: RoadLegs[];
  findings: Finding[];
}

/** Drives every road from its name to its service and judges what comes back, whoever configured the front. */
export async function verifyRoads(input: VerifyInput): Promise<VerifyResult> {
  const { plan, roads, at, onProgress } = input;
  const addresses = at === null ? await whereToDrive(input) : [at.address];
  const drive = new Drive(input, addresses, pLimit(input.concurrency));
  await drive.prepare();
  let done = 0;
  const driven = await Promise.all(
    roads.map(async (road) => {
      const legs = await drive.road(road);
      done += 1;
      onProgress(done, roads.length);
      return { road: road.name, legs };
    }),
  );
  return { addresses, roads: driven, findings: sortFindings(placed(findingsOf(driven), plan)) };
}

/** Findings of a single road point at its line of the map. */
function placed(findings: readonly Finding[], plan: Plan): Finding[] {
  return findings.map((finding) => {
    const road = finding.roads.length === 1 ? plan.roads.find(({ name }) => name === finding.roads[0]) : undefined;
    return road === undefined ? finding : { ...finding, where: road.leadsWhere };
  });
}
