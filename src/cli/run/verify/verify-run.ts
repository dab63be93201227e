import { resolve } from 'node:path';
import { writeWhole } from '../../../adapters/files/safe-write.ts';
import { runAfter } from '../../../adapters/processes/run-after.ts';
import { sortFindings, type Finding } from '../../../core/findings/finding.ts';
import { junitXml } from '../../../core/legs/junit.ts';
import { countStandings } from '../../../core/legs/leg.ts';
import { labelOf } from '../../../core/legs/label.ts';
import { askable, onMap } from '../../../use-cases/verify/asking/askable.ts';
import type { Site } from '../../../use-cases/map/load.ts';
import { findOpenPorts } from '../../../use-cases/verify/gate/open-ports.ts';
import { verifyRoads, type VerifyResult } from '../../../use-cases/verify/verify.ts';
import type { VerifyOptions } from './verify-options.ts';
import type { Io } from '../../io.ts';
import { countFindings } from '../../print/findings.ts';
import { jsonDocument } from '../../print/json.ts';
import { plural } from '../../print/style.ts';
import type { formatVerify } from '../../print/verify.ts';
import { placeAt, verifyInput } from '../../../use-cases/verify/verify-input.ts';
import type { Changes } from './verify-changes.ts';

/** One run of the roads, with the names of the map. */
export async function testRoads(
  onTheMap: Site,
  names: string[],
  options: VerifyOptions,
  io: Io,
): Promise<VerifyResult> {
  const { site, nameOnMap } = askable(onTheMap);
  const onProgress = (done: number, of: number): void =>
    io.progress(done === of ? '' : `testing: ${String(done)} of ${plural(of, 'road')}`);
  const input = await verifyInput({ site, onTheMap }, names, options, { ...io, onProgress });
  const tested = onMap(await verifyRoads(input), nameOnMap);
  if (options.openPorts !== true || io.signal.aborted) return tested;
  const { ports } = site.plan.front;
  const found = await findOpenPorts({
    site,
    addresses: tested.addresses,
    httpsPort: options.at === undefined ? ports.https : placeAt(options.at, site.plan).httpsPort,
    limits: input.limits,
    concurrency: options.parallel,
  });
  return { ...tested, findings: sortFindings([...tested.findings, ...found]) };
}

/** @param more what a run of every night says beside: once a month, and by `check` */
export function documentOf(
  site: Site,
  result: VerifyResult,
  changes: Changes | null,
  { monthly = [], checked = [] }: { monthly?: readonly Finding[]; checked?: readonly Finding[] } = {},
): string {
  const { addresses, findings, away, vantage } = result;
  return jsonDocument('verify', {
    map: site.mapFile,
    front: addresses,
    vantage,
    roads: asJson(result),
    findings,
    explained: away.map(({ road, leg, by, problem }) => ({ rule: problem.card.id, leg, road, by })),
    summary: { ...countFindings(findings), roads: countStandings(result.roads) },
    ...(changes === null ? {} : { since: changes }),
    ...(monthly.length === 0 ? {} : { monthly }),
    ...(checked.length === 0 ? {} : { checked }),
  });
}

function asJson({ roads }: VerifyResult): unknown[] {
  return roads.map(({ road, legs }) => ({
    name: road,
    legs: Object.fromEntries(
      legs.map((result) => [result.leg, { outcome: result.outcome, kind: result.kind, says: labelOf(result) }]),
    ),
  }));
}

export function printing({ verbose }: VerifyOptions, io: Io): Parameters<typeof formatVerify>[2] {
  return { width: io.width, colour: io.colour.out, verbose: verbose === true };
}

export async function writeJunit(
  { junit }: VerifyOptions,
  { roads, findings, away }: VerifyResult,
  { cwd }: Io,
): Promise<void> {
  if (junit !== undefined) await writeWhole(resolve(cwd, junit), junitXml(roads, findings, away));
}

export async function notify({ notify: program }: VerifyOptions, document: string): Promise<void> {
  if (program === undefined) return;
  const remedy = 'Run it by hand and fix it. The new and fixed findings are shown above, and saved.';
  await runAfter(program, { input: document, remedy });
}
