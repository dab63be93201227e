import { forwardedNode } from '../../core/verdict/forwarded.ts';
import { randomBytes } from 'node:crypto';
import { judgeAccess, outcomeOf, type AccessEvidence, type Planned } from '../../core/legs/access.ts';
import type { Answer, Attempt } from '../../core/legs/answer.ts';
import { skipped, type LegResult } from '../../core/legs/leg.ts';
import { targetOf } from '../../core/legs/targets.ts';
import { isPrivate } from '../../core/networks/address.ts';
import type { PlannedRoad } from '../../core/plan/plan.ts';
import { decide } from '../../core/verdict/decide.ts';
import { requestFrom, strangerTo } from '../../core/verdict/exposure.ts';
import { basic } from './credentials.ts';
import type { Memory } from './memory.ts';
import type { PartAt } from './test-behind-tls.ts';
import type { Shared } from './testing.ts';

/** Tries the gate of a road at one of its parts: as we are, with forged headers where it refuses, with the test login, and once a run with a wrong password. */
export async function testAccess(shared: Shared, where: PartAt, memory: Memory): Promise<LegResult> {
  const { road, part, at } = where;
  if (road.gate.parts.length === 0 || road.paused) return skipped('access', 'no-gate');
  const { input, prepared } = shared;
  const { prober, frontLog, fromHome, plan } = input;
  const { from, to } = at.front.connection() ?? { from: '', to: '' };
  const target = targetOf(road, part);
  const signed: Record<string, string> = prober.isLive
    ? { referer: `https://${road.authority}/?${frontLog.sign}` }
    : {};
  const ask = (headers: Record<string, string>): Promise<Attempt<Answer>> =>
    at.front.ask('https', road.name, target, { ...headers, ...signed });
  const plannedFor = (peer: string): Planned => {
    const verdict = decide(prepared, requestFrom({ label: '', peer, person: null, knownIn: [] }, road, target));
    return verdict.act === 'answer' && (verdict.status === 401 || verdict.status === 403) ? verdict.status : 'passes';
  };
  const own = shared.directs.get(part) ?? null;
  const bare = await ask({});
  const seen = bare.ok ? await frontLog.addressSeen(road) : null;
  memory.seenAs ??= seen;
  // On the way to an address inside nobody has to translate ours.
  const isSeenAs = fromHome || !isPrivate(from) || isPrivate(to);
  const peer = seen ?? (isSeenAs ? from : null);
  const isRefused = bare.ok && outcomeOf(bare.value, own) === 'refused';
  return judgeAccess({
    road,
    from,
    seen,
    planned: plannedFor(peer ?? strangerTo(plan)),
    mayBeKnown: peer === null && hasPublicNetwork(road),
    own,
    bare,
    ...(await tricks({ shared, where, isRefused, memory, ask })),
  });
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
  shared: { input },
  where: { road, at },
  isRefused,
  memory,
  ask,
}: TricksInput): Promise<Pick<AccessEvidence, 'forged' | 'login' | 'wrong'>> {
  const { prober, plan } = input;
  const login = at.isSound ? input.login : null;
  const claimed = isRefused && at.isSound ? insider(road) : null;
  const asksPeople = road.gate.parts.some(({ people }) => people !== null);
  const guesses = isRefused && asksPeople && prober.isLive && at.isSound && memory.takeGuess();
  const header = plan.front.edge?.header ?? null;
  return {
    forged: claimed === null ? null : { claimed, attempt: await ask(forgedHeaders(claimed, header)) },
    login: login === null || !asksPeople ? null : { person: login.name, attempt: await ask(basic(login)) },
    wrong: guesses
      ? await ask(basic({ name: login?.name ?? 'nobody', password: randomBytes(12).toString('hex') }))
      : null,
  };
}

/** A machine behind a router comes with a public address that it does not know, which such a gate may rightly let in. */
function hasPublicNetwork({ gate }: PlannedRoad): boolean {
  const networks = gate.parts.flatMap((part) => part.networks?.networks ?? []);
  return networks.some((network) => !isPrivate(network.split('/')[0] ?? ''));
}

/** An address that the road's gate lets in by its network, if there is one. */
function insider(road: PlannedRoad): string | null {
  const network = road.gate.parts.flatMap(({ networks }) => networks?.networks ?? [])[0];
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
