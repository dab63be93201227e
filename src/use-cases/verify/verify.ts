import pLimit from 'p-limit';
import { sortFindings, type Finding } from '../../core/findings/finding.ts';
import { withRate } from '../../core/legs/gate/bypass.ts';
import {
  explainAway,
  findingsOf,
  type ExplainedAway,
  type LegResult,
  type Problem,
  type RoadLegs,
} from '../../core/legs/leg.ts';
import type { Vantage } from '../../core/legs/way/vantage.ts';
import { isLoopback, isPrivate } from '../../core/networks/address.ts';
import { indexed } from '../../core/indexed.ts';
import { mainPart } from '../../core/plan/parts.ts';
import type { Plan } from '../../core/plan/plan.ts';
import { prepare } from '../../core/verdict/decide.ts';
import { askServices } from './service/ask-services.ts';
import { askStrangers } from './gate/ask-strangers.ts';
import { FrontView } from './asking/front-view.ts';
import { limiters } from './asking/limiter.ts';
import { proveAddresses } from './way/prove-addresses.ts';
import { testNames } from './way/test-names.ts';
import { testPort } from './way/test-port.ts';
import { testRawPorts } from './way/test-raw.ts';
import { testRate } from './gate/test-rate.ts';
import { testThorough } from './service/test-thorough.ts';
import { roadTester } from './test-road.ts';
import { throughRouter, type Run, type Shared, type TestInput } from './testing.ts';
import { whereToTest } from './way/where-to-test.ts';

export interface VerifyInput extends TestInput {
  concurrency: number;
  /** Also what takes a minute, or sends bodies. */
  thorough: boolean;
  /** The command that starts a service of the inventory, by its name; null where that is not known. */
  startOf: (service: string) => string | null;
  onProgress: (done: number, of: number) => void;
}

/** @property away what follows from something that is told @property vantage from where it was tested */
export interface VerifyResult {
  addresses: string[];
  roads: RoadLegs[];
  findings: Finding[];
  away: ExplainedAway[];
  vantage: Vantage;
}

/** A road that is begun holds what its front answered; of a thousand only so many are. */
const mostBegun = 64;

/** Tests every road from its name to its service and judges what comes back, whoever configured the front. */
export async function verifyRoads(input: VerifyInput): Promise<VerifyResult> {
  const { plan, roads, at, prober, concurrency, onProgress } = input;
  const addresses = at === null ? await whereToTest({ plan, names: prober.names }) : [at.address];
  const limiterOf = limiters(concurrency);
  const run: Run = { input, addresses, prepared: prepare(plan), limiter: limiterOf(0) };
  const nameOf = testNames(run);
  const front = new FrontView({ ...input, addresses, inside: insideOf(input, addresses), limiter: run.limiter });
  const [directs] = await Promise.all([askServices(run, plan.roads), front.prepare()]);
  const shared: Shared = { ...run, front, directs, ...(await proveAddresses(run, front)) };
  const strangers = await askStrangers(shared);
  const port = await testPort(shared);
  const tester = roadTester(shared, strangers);
  let done = 0;
  const begun = pLimit(mostBegun);
  const tested = await Promise.all(
    roads.map((road, place) =>
      begun(async (): Promise<RoadLegs> => {
        const [name, { legs, millis }] = await Promise.all([nameOf(road), tester.test(road, limiterOf(place + 1))]);
        done += 1;
        onProgress(done, roads.length);
        return { road: road.name, legs: [name, port, ...legs], millis: millis ?? null };
      }),
    ),
  );
  const raw = await testRawPorts(shared);
  const thorough = input.thorough ? await testThorough(shared, tested) : tested;
  const { told, away } = explainAway([...(await withRates(shared, thorough)), ...raw]);
  const findings = sortFindings(placed(findingsOf(withStart(told, input.startOf), input.words), plan));
  return { addresses: [...addresses], roads: told, findings, away, vantage: vantageOf(shared, tester.seenAs()) };
}

/** How a service is started is said by the project that it belongs to. */
function withStart(roads: readonly RoadLegs[], startOf: VerifyInput['startOf']): RoadLegs[] {
  const started = (problem: Problem): Problem => {
    const { service } = problem.data;
    const startService = typeof service === 'string' ? startOf(service) : null;
    return startService === null ? problem : { ...problem, data: { ...problem.data, startService } };
  };
  return roads.map((road) => ({
    ...road,
    legs: road.legs.map((leg) => ({ ...leg, problems: leg.problems.map(started) })),
  }));
}

/** A router may lead nobody back inside, and the front of a first evening has no address of home on the map yet. */
function insideOf({ running, here, prober, plan }: VerifyInput, addresses: readonly string[]): string[] {
  if (running?.isOurs !== true || !prober.isLive || plan.front.edge !== null || plan.front.container !== null)
    return [];
  if (addresses.some((address) => here.includes(address))) return [];
  return here.filter((one) => isPrivate(one) && !isLoopback(one));
}

/** One road after the other, when all else is done, since each makes the front slow this machine down. */
async function withRates(shared: Shared, tested: readonly RoadLegs[]): Promise<RoadLegs[]> {
  const roads: RoadLegs[] = [];
  for (const [index, one] of tested.entries()) {
    const road = shared.input.roads[index];
    const rate = road === undefined ? null : await testRate(shared, road);
    const legs = one.legs.map((leg): LegResult =>
      road !== undefined && rate !== null && leg.leg === 'bypass' ? withRate(leg, road, rate) : leg,
    );
    roads.push({ ...one, legs });
  }
  return roads;
}

/** @param seenAs the address that the front's log has for this machine; null when it does not say */
function vantageOf(shared: Shared, seenAs: string | null): Vantage {
  const { here, fromHome } = shared.input;
  const { front } = shared;
  const connection = front.connection();
  const isMachine = connection !== null && here.includes(connection.to);
  const elsewhere = fromHome ? 'home' : 'outside';
  const place = isMachine ? 'machine' : throughRouter(shared) !== null ? 'router' : elsewhere;
  const at = [...new Set(front.ports.map(({ address }) => address))];
  return { from: connection?.from ?? null, place, seenAs, at };
}

/** Findings of a single road point at its line of the map. */
function placed(findings: readonly Finding[], plan: Plan): Finding[] {
  return findings.map((finding) => {
    if (finding.roads.length !== 1) return finding;
    const [name = ''] = finding.roads;
    const road = indexed(plan.roads, 'name').get(name);
    const where = road === undefined ? indexed(plan.ports, 'name').get(name)?.where : mainPart(road).where;
    return where === undefined ? finding : { ...finding, where };
  });
}
