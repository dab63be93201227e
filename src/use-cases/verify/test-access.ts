import { randomBytes } from 'node:crypto';
import type { Login } from '../../adapters/files/read-login.ts';
import { judgeAccess, outcomeOf, type AccessEvidence, type Planned } from '../../core/legs/access.ts';
import type { Answer, Attempt } from '../../core/legs/answer.ts';
import type { DirectEvidence } from '../../core/legs/direct.ts';
import type { LegResult } from '../../core/legs/leg.ts';
import { isPrivate } from '../../core/networks/address.ts';
import type { PlannedRoad } from '../../core/plan/plan.ts';
import { decide } from '../../core/verdict/decide.ts';
import { requestFrom, strangerTo } from '../../core/verdict/exposure.ts';
import type { Prepared } from '../../core/verdict/verdict.ts';

export interface AccessInput {
  prepared: Prepared;
  road: PlannedRoad;
  target: string;
  /** This machine's own address on the connection to the front. */
  from: string;
  /** The address that the front saw at the last question; null when it does not say. */
  seen: () => Promise<string | null>;
  /** Whether nothing on the way can have put another address in its place. */
  isSeenAs: boolean;
  /** What the service itself answers when asked directly; null when that is not known. */
  own: DirectEvidence | null;
  login: Login | null;
  /** Whether it may be told that we come from elsewhere. */
  mayForge: boolean;
  /** Takes the one wrong password of this run; false when it is spent. */
  takeGuess: () => boolean;
  ask: (headers: Record<string, string>) => Promise<Attempt<Answer>>;
}

/** Tries a road's gate: as we are, with forged headers where it refuses, with the test login, and once with a wrong password. */
export async function driveAccess(input: AccessInput): Promise<LegResult> {
  const { prepared, road, target, from, isSeenAs, own, login, mayForge, takeGuess, ask } = input;
  const { plan } = prepared;
  const plannedFor = (peer: string): Planned => {
    const verdict = decide(prepared, requestFrom({ label: '', peer, person: null, knownIn: [] }, road, target));
    return verdict.act === 'answer' && (verdict.status === 401 || verdict.status === 403) ? verdict.status : 'passes';
  };
  const bare = await ask({});
  const seen = bare.ok ? await input.seen() : null;
  const peer = seen ?? (isSeenAs ? from : null);
  const refused = bare.ok && outcomeOf(bare.value, own) === 'refused';
  const claimed = refused && mayForge ? insider(road) : null;
  const asksPeople = road.gate.parts.some(({ people }) => people !== null);
  const evidence: AccessEvidence = {
    road,
    from,
    seen,
    planned: plannedFor(peer ?? strangerTo(plan)),
    mayBeKnown: peer === null && hasPublicNetwork(road),
    own,
    bare,
    forged:
      claimed === null
        ? null
        : { claimed, attempt: await ask(forgedHeaders(claimed, plan.front.edge?.header ?? null)) },
    login: login === null || !asksPeople ? null : { person: login.name, attempt: await ask(basic(login)) },
    wrong:
      refused && asksPeople && takeGuess()
        ? await ask(basic({ name: login?.name ?? 'nobody', password: randomBytes(12).toString('hex') }))
        : null,
  };
  return judgeAccess(evidence);
}

/** RFC 7617 §2. */
export function basic({ name, password }: Login): Record<string, string> {
  return { authorization: `Basic ${Buffer.from(`${name}:${password}`).toString('base64')}` };
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
    forwarded: `for=${claimed.includes(':') ? `"[${claimed}]"` : claimed}`,
  };
}
