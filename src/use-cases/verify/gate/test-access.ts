import { asksFor, networksOf } from '../../../core/gates/check.ts';
import { forwardedNode } from '../../../core/verdict/forwarded.ts';
import { randomBytes } from 'node:crypto';
import {
  isByTrick,
  judgeAccess,
  outcomeOf,
  restsOnAWord,
  type AccessEvidence,
  type OtherWay,
} from '../../../core/legs/gate/access.ts';
import type { Answer, Attempt } from '../../../core/legs/answer.ts';
import { skipped, withProblems, type LegResult } from '../../../core/legs/leg.ts';
import { spellings } from '../../../core/legs/gate/spelling.ts';
import { targetOf } from '../../../core/legs/targets.ts';
import { fewestRounds } from '../../../core/legs/passing/turns.ts';
import { isPrivate } from '../../../core/networks/address.ts';
import type { PlannedRoad } from '../../../core/plan/plan.ts';
import { strangerTo } from '../../../core/verdict/exposure.ts';
import { askDirectly } from '../service/ask-directly.ts';
import { pageProblemOf } from '../../../core/legs/passing/map-kept.ts';
import { ask as askService } from '../../../adapters/probe/ask.ts';
import { plannedFor, questionFor } from './planned.ts';
import { basic } from './credentials.ts';
import type { Memory } from '../asking/memory.ts';
import type { PartAt } from '../part-at.ts';
import { throughRouter, type Shared } from '../testing.ts';

/** Tries the gate of a road at one of its parts: as we are, with forged headers where it refuses, with the test login, and once a run with a wrong password. */
export async function testAccess(shared: Shared, where: PartAt, memory: Memory): Promise<LegResult> {
  const { road, part, at } = where;
  if (road.gate.parts.length === 0 || road.paused) return skipped('access', 'no-gate');
  const { input } = shared;
  const { prober, frontLog, fromHome, plan } = input;
  const { from, to } = at.front.connection() ?? { from: '', to: '' };
  const target = targetOf(road, part);
  const signed: Record<string, string> = prober.isLive
    ? { referer: `https://${road.authority}/?${frontLog.sign}` }
    : {};
  const ask = (headers: Record<string, string>): Promise<Attempt<Answer>> =>
    at.front.ask('https', road.name, target, { ...headers, ...signed });
  const own = shared.directs.get(part) ?? null;
  const bare = await ask({});
  const seen = bare.ok ? await frontLog.addressSeen(road) : null;
  memory.seenAs ??= seen;
  // On the way to an address inside nobody has to translate ours.
  const isSeenAs = throughRouter(shared) === null && (fromHome || !isPrivate(from) || isPrivate(to));
  const peer = seen ?? (isSeenAs ? from : null);
  const isRefused = bare.ok && outcomeOf(bare.value, own) === 'refused';
  const evidence: AccessEvidence = {
    road,
    from,
    seen,
    planned: plannedFor(shared, { road, part, peer: peer ?? strangerTo(plan) }),
    asked: await askAsked(shared, { road, part, peer: peer ?? strangerTo(plan) }, to),
    // On the front's own machine nothing lies between that could hide an address.
    isCertain: seen !== null || (input.here.includes(to) && plan.front.container === null),
    mayBeKnown: peer === null && hasPublicNetwork(road),
    own,
    bare,
    devices: await playedDevices(shared, where, { peer: peer ?? strangerTo(plan), headers: signed }),
    ...(await tricks({ shared, where, isRefused, memory, ask })),
  };
  const pages = bare.ok ? pageProblemOf(plan, road, bare.value) : [];
  const judged = withProblems(judgeAccess(evidence), isRefused ? pages : []);
  if (restsOnAWord(judged, evidence))
    return unlessItVaries(judged, async () => {
      const asked = await askAsked(shared, { road, part, peer: peer ?? strangerTo(plan) }, to);
      return judgeAccess({ ...evidence, asked, bare: await ask({}) });
    });
  return isByTrick(judged) ? unlessAlwaysOpen(evidence, judged, () => ask({})) : judged;
}

/** Devices that must not count, once for each road. They are refused in the handshake or after it, whoever else may pass. */
async function playedDevices(
  shared: Shared,
  { road, part, at }: PartAt,
  { peer, headers }: { peer: string; headers: Record<string, string> },
): Promise<AccessEvidence['devices']> {
  const { prober, devices } = shared.input;
  if (!devices.canPlay || !at.isSound || part.prefix !== '/' || !asksFor(road.gate, 'devices')) return [];
  const target = targetOf(road, part);
  const states = ['none', 'removed', 'ended', 'foreign'] as const;
  return Promise.all(
    states.map(async (state) => ({
      state,
      planned: plannedFor(shared, { road, part, peer, device: { state } }),
      attempt: await prober.ask({ ...at.front.question('https', road.name, target, headers), device: { state } }),
    })),
  );
}

/** A service that is just being started says nothing for a moment: what is found of it is found again, each time, or it is not certain. */
async function unlessItVaries(judged: LegResult, again: () => Promise<LegResult>): Promise<LegResult> {
  for (let round = 0; round < fewestRounds; round += 1)
    if ((await again()).kind !== judged.kind) return { ...skipped('access', 'word-unknown'), outcome: 'unsure' };
  return judged;
}

/** What the service that a gate asks says itself to what the front asks it; only the front's own machine reaches it where the front does. @param to the address of the front */
async function askAsked(
  shared: Shared,
  who: Parameters<typeof questionFor>[1],
  to: string,
): Promise<AccessEvidence['asked']> {
  const question = questionFor(shared, who);
  if (question === null) return null;
  const { said, upstream, target, headers } = question;
  const { prober, limits, here } = shared.input;
  const place = { scheme: upstream.scheme, address: upstream.host, port: upstream.port, servername: '' };
  return {
    said,
    word:
      prober.isLive && here.includes(to) && !upstream.byName
        ? await askService({ ...place, target, headers, ...limits })
        : null,
  };
}

/** A gate that lets in now and then is no gate that is fooled: asked plainly some times more, it shows which of them it is. */
async function unlessAlwaysOpen(
  evidence: AccessEvidence,
  judged: LegResult,
  askPlainly: () => Promise<Attempt<Answer>>,
): Promise<LegResult> {
  if (evidence.road.rules.rate !== null || !evidence.bare.ok) return judged;
  for (let round = 0; round < fewestRounds; round += 1) {
    const bare = await askPlainly();
    if (bare.ok && outcomeOf(bare.value, evidence.own) === 'passes') return judgeAccess({ ...evidence, bare });
  }
  return judged;
}

interface TricksInput {
  shared: Shared;
  where: PartAt;
  isRefused: boolean;
  memory: Memory;
  ask: (headers: Record<string, string>) => Promise<Attempt<Answer>>;
}

/** What is tried beside asking plainly; nothing of it where the handshake is not sound. */
async function tricks({
  shared,
  where,
  isRefused,
  memory,
  ask,
}: TricksInput): Promise<Pick<AccessEvidence, 'forged' | 'login' | 'wrong' | 'others'>> {
  const { input } = shared;
  const { prober, plan } = input;
  const { road, at } = where;
  const login = at.isSound ? input.login : null;
  const claimed = isRefused && at.isSound ? insider(road) : null;
  const asksPeople = asksFor(road.gate, 'people');
  const guesses = isRefused && asksPeople && prober.isLive && at.isSound && memory.takeGuess();
  const header = plan.front.edge?.header ?? null;
  return {
    forged: claimed === null ? null : { claimed, header, attempt: await ask(forgedHeaders(claimed, header)) },
    login: login === null || !asksPeople ? null : { person: login.name, attempt: await ask(basic(login)) },
    others: isRefused && at.isSound && prober.isLive ? await otherWays(shared, where) : [],
    wrong: guesses
      ? await ask(basic({ name: login?.name ?? 'nobody', password: randomBytes(12).toString('hex') }))
      : null,
  };
}

/** By a method that changes nothing, and by the name as nobody but a program writes it (RFC 9110 §4.2.3): gates made by hand overlook them. */
async function otherWays(shared: Shared, where: PartAt): Promise<OtherWay[]> {
  const { road, part, at } = where;
  const { front } = at;
  const target = targetOf(road, part);
  const peer = front.connection()?.from ?? '';
  const method = 'OPTIONS';
  const hosts = spellings(road);
  const others = hosts.map(async (host): Promise<OtherWay> => {
    return { way: { host }, attempt: await front.ask('https', road.name, target, { host }), own: null };
  });
  if (plannedFor(shared, { road, part, peer, method }) !== 'passes') {
    const [attempt, own] = await Promise.all([
      front.ask('https', road.name, target, {}, method),
      askDirectly(shared, where, { target, method }),
    ]);
    others.push(Promise.resolve({ way: { method }, attempt, own }));
  }
  return Promise.all(others);
}

/** A machine behind a router comes with a public address that it does not know, which such a gate may rightly let in. */
function hasPublicNetwork({ gate }: PlannedRoad): boolean {
  const networks = networksOf(gate);
  return networks.some((network) => !isPrivate(network.split('/')[0] ?? ''));
}

/** An address that the road's gate lets in by its network, if there is one. */
function insider(road: PlannedRoad): string | null {
  const network = networksOf(road.gate)[0];
  return network === undefined ? null : (network.split('/')[0] ?? null);
}

function forgedHeaders(claimed: string, edgeHeader: string | null): Record<string, string> {
  const names = [
    'x-forwarded-for',
    'x-real-ip',
    'true-client-ip',
    'x-client-ip',
    ...(edgeHeader === null ? [] : [edgeHeader]),
  ];
  return {
    ...Object.fromEntries(names.map((name) => [name, claimed])),
    forwarded: `for=${forwardedNode(claimed)}`,
  };
}
