import { contextOf, type Context } from '../core/verdict/context.ts';
import { decide } from '../core/verdict/decide.ts';
import type { Prepared, Verdict, VerdictRequest } from '../core/verdict/verdict.ts';
import { isBefore } from '../core/verdict/steps/all-steps.ts';
import { countedAs } from '../core/networks/counted-as.ts';
import type { PlannedRules } from '../core/plan/plan.ts';
import { PasswordChecker } from './people.ts';
import { RateKeeper } from './rate.ts';
import { toVerdictRequest, type AnyRequest } from './request.ts';
import type { Visitor } from './visitors.ts';

/** A request as it was read, once for all that look at it. */
export interface Read {
  asked: VerdictRequest;
  context: Context;
}

/** Decides requests, and learns the slow or stateful facts only for those that they matter to: counts first, hashes last. */
export class Judge {
  private readonly passwords: PasswordChecker;
  /** By the rules of a road: the road of all other names counts them together. */
  private readonly keepers = new Map<PlannedRules, RateKeeper>();

  constructor(
    private readonly prepared: Prepared,
    onTrouble: (message: string) => void,
  ) {
    this.passwords = new PasswordChecker(onTrouble);
    for (const { rules } of prepared.plan.roads)
      if (rules.rate !== null) this.keepers.set(rules, new RateKeeper(rules.rate));
  }

  /** Reads a request once: what it asks for, which road that is, and who the visitor is. */
  read(request: AnyRequest, visitor: Visitor): Read {
    const asked = toVerdictRequest(request, visitor);
    return { asked, context: contextOf(this.prepared, asked) };
  }

  /** Counts the request where its road has a rate. @param challenge what is to be answered to an authority, or null */
  decide({ asked: plain, context }: Read, challenge: string | null): Verdict | Promise<Verdict> {
    const asked: VerdictRequest = challenge === null ? plain : { ...plain, challenge };
    const first = decide(this.prepared, asked);
    const { road, client, target } = context;
    if (road === null || !reachesRate(first)) return first;
    const keeper = this.keepers.get(road.rules);
    if (keeper?.isOver(countedAs(client), performance.now()) === true)
      return decide(this.prepared, { ...asked, overRate: true });
    if (first.act !== 'answer' || first.status !== 401) return first;
    return this.passwords
      .prove(road, { target, client, authorization: asked.headers['authorization']?.[0] })
      .then((proof) => decide(this.prepared, { ...asked, ...proof }));
  }

  stop(): Promise<void> {
    return this.passwords.stop();
  }
}

function reachesRate({ because }: Verdict): boolean {
  const step = because[0]?.step;
  return step !== undefined && !isBefore(step, 'rate');
}
