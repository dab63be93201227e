import { ask } from '../../../adapters/probe/ask.ts';
import type { Limits } from '../../../adapters/probe/connect.ts';
import { handshake } from '../../../adapters/probe/handshake.ts';
import { serviceProof } from '../../../adapters/probe/service-proof.ts';
import { deepTarget } from '../../../core/legs/passing/altered.ts';
import { spokeTls, type Answer, type Attempt } from '../../../core/legs/answer.ts';
import { directEvidence, mayBeUntold, type DirectEvidence } from '../../../core/legs/service/direct.ts';
import { unmetOf } from '../../../core/legs/service/expectation.ts';
import type { Problem } from '../../../core/legs/leg.ts';
import { isFailing, sampleOf, varies, type Sample } from '../../../core/legs/passing/turns.ts';
import { unprovenProblem } from '../../../core/legs/service/service-proof.ts';
import { withPort } from '../../../core/networks/address.ts';
import { targetOf } from '../../../core/legs/targets.ts';
import { dialledParts } from '../../../core/plan/parts.ts';
import type { Plan, PlannedPart, PlannedRoad } from '../../../core/plan/plan.ts';
import type { Upstream } from '../../../core/plan/upstream.ts';
import type { ProxyName } from '../../../core/proxies/names.ts';
import { programOf } from '../../../core/proxies/programs.ts';
import type { At } from '../../../core/plan/resolve-service.ts';
import { directHeaders } from '../../../core/verdict/forwarded.ts';
import { inTurn } from './in-turn.ts';
import { fromHost, type Run, type TestInput } from '../testing.ts';

/** Asks the service of every part of these roads directly, to learn what it answers. */
export async function askServices(
  { input, limiter }: Pick<Run, 'limiter'> & { input: Pick<TestInput, 'plan' | 'limits'> },
  roads: readonly PlannedRoad[],
): Promise<Map<PlannedPart, DirectEvidence>> {
  const { ports, proxy } = input.plan.front;
  const asked = dialledParts(roads).map(async ({ road, part, upstream }) => {
    const direct = { road, part, upstream, target: targetOf(road, part), proxy, ports, limits: input.limits };
    return [part, await limiter(() => askService(direct))] as const;
  });
  return new Map(await Promise.all(asked));
}

interface DirectInput {
  road: PlannedRoad;
  part: PlannedPart;
  upstream: Upstream;
  target: string;
  proxy: ProxyName;
  ports: Plan['front']['ports'];
  limits: Limits;
}

/**
 * Asks a service directly, twice, with the headers that the front would send, to learn what stays the same. One that refuses is asked
 * again without the headers about the visitor, and by its own address: then it has not been told of its proxy, or of its name. One that
 * fails is asked more often, since it may fail now and then.
 */
async function askService({
  road,
  part,
  upstream,
  target,
  proxy,
  ports,
  limits,
}: DirectInput): Promise<DirectEvidence> {
  const at = fromHost(part);
  const about = { road: road.name, part: part.prefix, upstream };
  // In a container the front knows the service by another name; without a way from here nothing can be asked.
  if (at === null) return notAsked(about);
  const headers = directHeaders(road, upstream, ports);
  const once = (said: Record<string, string>, to = target): Promise<Attempt<Answer>> =>
    ask({
      scheme: upstream.scheme,
      address: at.host,
      port: at.port,
      servername: upstream.byName ? upstream.host : '',
      target: to,
      headers: said,
      ...limits,
    });
  const { first, second, course } = await severalTimes(() => once(headers));
  if (!first.ok) {
    const mayTakeTls = ['broken', 'closed'].includes(first.failure.kind) && upstream.scheme === 'http';
    return directEvidence({
      ...about,
      first,
      second,
      course,
      takesTls: mayTakeTls && (await takesTls(at, limits)),
    });
  }
  const unproven = await whyUnproven({ upstream, at, proxy, limits });
  const asksMore = mayBeUntold(first.value.status);
  const otherwise = async (said: Record<string, string>): Promise<number | null> =>
    asksMore ? passingOtherwise({ usual: () => once(headers), other: () => once(said), course }) : null;
  const plainly = await otherwise({ host: headers['host'] ?? road.name });
  const byAddress = await otherwise({ host: withPort(at.host, at.port) });
  const { status } = first.value;
  // The body is not kept, so this is judged while it is there.
  const unmet = unmetOf(road, part, first.value);
  const deep = status < 500 ? await once(headers, deepTarget(part)) : null;
  return directEvidence({ ...about, first, second, course, plainly, byAddress, unmet, unproven, deep });
}

interface UnprovenInput extends Pick<DirectInput, 'upstream' | 'proxy' | 'limits'> {
  at: At;
}

/** Why the front will not believe a service behind HTTPS; null when it will, or speaks plain HTTP to it. */
async function whyUnproven({ upstream, at, proxy, limits }: UnprovenInput): Promise<Problem | null> {
  const { scheme, verifyAs, host, trust } = upstream;
  if (scheme === 'http' || trust.kind === 'none') return null;
  const proof = await serviceProof({ address: at.host, port: at.port, verifyAs: verifyAs ?? host, trust, ...limits });
  return proof === null ? null : unprovenProblem(upstream, proof, programOf(proxy));
}

/** A service that fails once, or changes its mind, is asked four times in all. Those come at once: each may take all of its time. */
async function severalTimes(
  once: () => Promise<Attempt<Answer>>,
): Promise<{ first: Attempt<Answer>; second: Attempt<Answer>; course: Sample[] }> {
  const first = await once();
  const begun = first.ok ? [first, await once()] : [first];
  const mayVary = varies(begun.map(sampleOf)) || begun.some((one) => isFailing(sampleOf(one)));
  const asked = mayVary ? [...begun, ...(await Promise.all([once(), once(), once()]))] : begun;
  const [one = first, other = one] = asked.filter(({ ok }) => ok);
  return { first: one, second: other, course: asked.map(sampleOf) };
}

interface Otherwise {
  usual: () => Promise<Attempt<Answer>>;
  other: () => Promise<Attempt<Answer>>;
  course: Sample[];
}

/** The status by which a service passes what it refuses in the usual words; null when it does not, or not each time. */
async function passingOtherwise({ usual, other, course }: Otherwise): Promise<number | null> {
  const first = sampleOf(await other());
  if (typeof first !== 'number' || first >= 400 || varies(course)) return null;
  const { a, b } = await inTurn(usual, other);
  course.push(...a);
  return varies(course) || b.some((one) => one !== first) ? null : first;
}

async function takesTls({ host, port }: At, limits: Limits): Promise<boolean> {
  const attempt = await handshake({ address: host, port, name: '', trust: { given: [], practice: [] }, ...limits });
  return spokeTls(attempt);
}

function notAsked(about: Pick<DirectEvidence, 'road' | 'part' | 'upstream'>): DirectEvidence {
  const reason = 'it is reachable inside the container network only';
  const attempt = { ok: false as const, failure: { kind: 'unreachable' as const, reason } };
  return directEvidence({ ...about, first: attempt, second: attempt });
}
