import { contextOf, type Context } from '../core/verdict/context.ts';
import { decide } from '../core/verdict/decide.ts';
import type { Prepared, Verdict, VerdictRequest } from '../core/verdict/verdict.ts';
import { isBefore } from '../core/verdict/steps/all-steps.ts';
import type { PlannedRoad, PlannedRules } from '../core/plan/plan.ts';
import { PasswordChecker } from './people.ts';
import { RateKeeper } from './rate.ts';
import { toVerdictRequest, type AnyRequest } from './request.ts';

/** A request as it was read, once for all that look at it. */
export interface Read {
  asked: VerdictRequest;
  context: Context;
  socket: object;
}

/** Decides requests, and learns the slow or stateful facts only for those that they matter to: counts first, hashes last. */
export class Judge {
  private readonly passwords: PasswordChecker;
  /** By the rules of a road: the road of all other names counts them together. */
  private readonly keepers = new Map<PlannedRules, RateKeeper>();
  /** Requests that were counted once and come again without their upgrade. */
  private readonly counted = new WeakSet<object>();

  constructor(
    private readonly prepared: Prepared,
    onTrouble: (message: string) => void,
  ) {
    this.passwords = new PasswordChecker(onTrouble);
    for (const { rules } of prepared.plan.roads)
      if (rules.rate !== null) this.keepers.set(rules, new RateKeeper(rules.rate));
  }

  /** Reads a request once: what it asks for, which road that is, and who the visitor is. */
  read(request: AnyRequest): Read {
    const asked = toVerdictRequest(request);
    return { asked, context: contextOf(this.prepared, asked), socket: request.socket };
  }

  /** @param challenge what is to be answered to an authority, or null */
  async decide({ asked: plain, context, socket }: Read, challenge: string | null): Promise<Verdict> {
    const asked: VerdictRequest = { ...plain, challenge };
    const first = decide(this.prepared, asked);
    const { road } = context;
    if (road === null || !reachesRate(first)) return first;
    if (this.isOver(socket, road, context.client)) return decide(this.prepared, { ...asked, overRate: true });
    if (first.act !== 'answer' || first.status !== 401) return first;
    const proof = await this.passwords.prove(road, context.target, asked.headers['authorization']?.[0]);
    return decide(this.prepared, { ...asked, ...proof });
  }

  /** The same request is about to come again on the same connection, and is not to be counted twice. */
  giveBack({ socket }: AnyRequest): void {
    this.counted.add(socket);
  }

  stop(): Promise<void> {
    return this.passwords.stop();
  }

  private isOver(socket: object, { rules }: PlannedRoad, client: string): boolean {
    const keeper = this.keepers.get(rules);
    if (keeper === undefined || this.counted.delete(socket)) return false;
    return keeper.isOver(client, performance.now());
  }
}

function reachesRate({ because }: Verdict): boolean {
  const step = because[0]?.step;
  return step !== undefined && !isBefore(step, 'rate');
}
