import { checksOf } from '../../core/gates/check.ts';
import { nameThatPasses } from '../../core/gates/devices.ts';
import { lstat } from 'node:fs/promises';
import { join } from 'node:path';
import pLimit from 'p-limit';
import type { PlayedDevices } from '../../adapters/certificates/played-devices.ts';
import { send, type Front } from '../../adapters/rehearsal/send.ts';
import type { StandIn } from '../../adapters/rehearsal/stand-in.ts';
import type { Plan, PlannedPort } from '../../core/plan/plan.ts';
import type { RehearsalCase } from '../../core/rehearsal/cases.ts';
import { compare, expectedWords, type InFolder } from '../../core/rehearsal/compare.ts';
import { toldHeader } from '../../core/rehearsal/on-loopback.ts';
import { requestOf, type Outcome, type Seen, type Sent } from '../../core/rehearsal/sent.ts';
import { takenBy } from '../../core/rehearsal/taken.ts';
import { decide } from '../../core/verdict/decide.ts';
import type { Prepared, Verdict } from '../../core/verdict/verdict.ts';
import { isInTheWay, upstreamKey } from './stand-ins.ts';
import type { CaseResult, Report } from './job.ts';

/** What reached stand-ins: by the number that a case bears, and what bears none. */
export interface Arrivals {
  byCase: Map<string, Array<{ service: string; seen: Seen }>>;
  strays: string[];
}

interface PlayInput {
  prepared: Prepared;
  cases: readonly RehearsalCase[];
  standIns: ReadonlyMap<string, StandIn>;
  passwords: ReadonlyMap<string, string>;
  /** What devices show; null where no gate asks for one. */
  devices: PlayedDevices | null;
  arrivals: Arrivals;
}

/** So many requests are under way at one time. */
const abreast = 16;

/** Plays every case and holds what came of it against the verdict. */
export async function playAll(input: PlayInput): Promise<Report> {
  const limit = pLimit(abreast);
  const kept = new Map<string, number>();
  const results = await Promise.all(
    input.cases.map((plain, index) => {
      const one = { ...plain, sent: asTold(plain.sent, input.prepared.plan) };
      const why = whyNot(one, input.prepared, kept);
      return limit(async () => {
        if (why !== null) return { one, result: unplayed(one, input, why), again: false };
        const { result, silent } = await playOne(one, index, input);
        return { one, result, again: silent && result.differences.length > 0 && !hasRate(one, input) };
      });
    }),
  );
  // A machine that stood still for a moment looks like a front that says nothing: what got no answer is asked once more, by itself.
  const settled: CaseResult[] = [];
  for (const [index, { one, result, again }] of results.entries())
    settled.push(again ? (await playOne(one, input.cases.length + index, input)).result : result);
  return { results: [...settled, ...input.prepared.plan.ports.map(rawPort)], strays: input.arrivals.strays };
}

/** Nothing is sent over raw ports: `verify` connects to them once they are live. */
function rawPort(one: PlannedPort): CaseResult {
  const expected = one.to === null ? 'nothing' : `${one.to.host}:${String(one.to.port)}`;
  const untested = 'a rehearsal does not test raw ports; verify does when they are live';
  return {
    road: one.name,
    prefix: null,
    what: `${String(one.port)}/${one.protocol}`,
    expected,
    got: null,
    untested,
    differences: [],
  };
}

/** Each request more counts there. */
function hasRate({ sent }: RehearsalCase, { prepared }: PlayInput): boolean {
  return (prepared.askedFor(sent.host[0] ?? '')?.road?.rules.rate ?? null) !== null;
}

/** On loopback a client's address cannot be had, and is told by a header. */
function asTold(sent: Sent, { front }: Plan): Sent {
  if (front.edge?.header !== toldHeader.toLowerCase()) return sent;
  return { ...sent, from: '127.0.0.1', headers: [...sent.headers, [toldHeader, sent.from]] };
}

/** Why a case cannot be played; null when it can. */
function whyNot({ sent }: RehearsalCase, prepared: Prepared, kept: Map<string, number>): string | null {
  if (frontFor(sent, prepared.plan) === null) return 'the front has no address of this family';
  const road = prepared.askedFor(sent.host[0] ?? '')?.road ?? null;
  const verdict = decide(prepared, requestOf(sent));
  if (verdict.act === 'forward' && verdict.upstream.trust.kind === 'pin')
    return 'the key of its service is pinned, so no stand-in can have it';
  if (verdict.act === 'forward' && isInTheWay(verdict.upstream, prepared.plan))
    return `its service has port ${String(verdict.upstream.port)}, as the front does, and stands on another machine`;
  const asked = road === null ? [] : checksOf(road.gate, 'asks').flatMap(({ upstream }) => upstream ?? []);
  if (asked.some((upstream) => isInTheWay(upstream, prepared.plan)))
    return 'the service that its gate asks has a port of the front, and stands on another machine';
  const rate = road?.rules.rate ?? null;
  if (road === null || rate === null) return null;
  const told = sent.headers.find(([name]) => name === toldHeader)?.[1];
  const key = `${road.name} ${told ?? sent.from}`;
  const before = kept.get(key) ?? 0;
  kept.set(key, before + 1);
  return before < rate.burst ? null : `more than the rate of ${road.display} lets pass at once`;
}

function frontFor({ from }: Pick<Sent, 'from'>, { front }: Plan): Front | null {
  const v6 = from.includes(':');
  const listens = front.listen.addresses.find((address) => address.includes(':') === v6);
  if (listens === undefined) return null;
  const { http, https } = front.listen;
  const own = front.addresses.find((address) => address.includes(':') === v6);
  const any = v6 ? '::' : '0.0.0.0';
  return { address: listens === any ? (own ?? (v6 ? '::1' : '127.0.0.1')) : listens, http, https };
}

function unplayed(one: RehearsalCase, input: PlayInput, untested: string): CaseResult {
  const verdict = decide(input.prepared, requestOf(one.sent));
  const expected = expectedWords({ sent: one.sent, verdict, service: serviceOf(verdict, input), inFolder: 'file' });
  return { road: one.road, prefix: one.prefix, what: one.what, expected, got: null, untested, differences: [] };
}

/** @property silent of the outcome: no answer came */
async function playOne(
  one: RehearsalCase,
  index: number,
  input: PlayInput,
): Promise<{ result: CaseResult; silent: boolean }> {
  const { prepared, arrivals } = input;
  const id = String(index + 1);
  const own = withLogin(one, input);
  const { sent, verdict } = takenBy(prepared, own);
  const reached: Array<{ service: string; seen: Seen }> = [];
  arrivals.byCase.set(id, reached);
  const front = frontFor(own, prepared.plan);
  const outcome: Outcome =
    front === null
      ? { kind: 'closed' }
      : await send(
          { ...own, headers: [...own.headers, ['X-Rehearsal', id]] },
          front,
          input.devices?.(own.device, nameAt(own, prepared)) ?? null,
        );
  const inFolder = verdict.act === 'folder' ? await lookInto(verdict) : 'nothing';
  const played = { sent, verdict, outcome, reached, service: serviceOf(verdict, input), inFolder };
  const differences = compare(played);
  const { road, prefix, what } = one;
  const expected = expectedWords(played);
  const got = differences[0]?.got ?? expected;
  const silent = outcome.kind !== 'answer';
  return { result: { road, prefix, what, expected, got, untested: null, differences }, silent };
}

/** A device that must not count has a name that would pass. */
function nameAt({ host }: Sent, { askedFor }: Prepared): string | null {
  const road = askedFor(host[0] ?? '')?.road ?? null;
  return road === null ? null : nameThatPasses(road.gate);
}

function withLogin({ sent, login }: RehearsalCase, { passwords }: PlayInput): Sent {
  if (login === null) return sent;
  const password = login.right ? (passwords.get(login.name) ?? '') : 'not the password';
  const line = `Basic ${Buffer.from(`${login.name}:${password}`).toString('base64')}`;
  return { ...sent, headers: [...sent.headers, ['Authorization', line]] };
}

function serviceOf(verdict: Verdict, { standIns }: PlayInput): string | null {
  return verdict.act === 'forward' ? (standIns.get(upstreamKey(verdict.upstream))?.name ?? null) : null;
}

/** No link is followed below a folder. */
async function lookInto({ root, path }: Extract<Verdict, { act: 'folder' }>): Promise<InFolder> {
  if (path === null) return 'nothing';
  let at = root;
  const parts = path.split('/').filter((part) => part !== '');
  let found: InFolder = 'folder';
  for (const part of parts) {
    at = join(at, part);
    const there = await lstat(at).catch(() => null);
    if (there === null || there.isSymbolicLink()) return 'nothing';
    found = there.isFile() ? 'file' : there.isDirectory() ? 'folder' : 'nothing';
  }
  return found;
}
