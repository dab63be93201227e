import { contextOf, type Context } from '../core/verdict/context.ts';
import { decideIn } from '../core/verdict/decide.ts';
import type { Prepared, Verdict, VerdictRequest } from '../core/verdict/verdict.ts';
import { isBefore } from '../core/verdict/steps/step-names.ts';
import { countedOf } from '../core/verdict/client.ts';
import { countedAs } from '../core/networks/counted-as.ts';
import type { PlannedRules } from '../core/road-rules/road-rules.ts';
import type { Asker, HeardWord } from './asker.ts';
import { PasswordChecker } from './people.ts';
import { RateKeeper } from './rate.ts';
import { toVerdictRequest, type AnyRequest } from './request.ts';
import type { Visitor } from './visitors.ts';

/** A request as it was read, once for all that look at it. */
export type Read = Context;

/** Decides requests, and learns the slow or stateful facts only for those that they matter to: counts first, hashes last. */
export class Judge {
  private readonly passwords: PasswordChecker;
  /** By the rules of a road: the road of all other names counts them together. */
  private readonly keepers = new Map<PlannedRules, RateKeeper>();
  private readonly heard = new WeakMap<Verdict, HeardWord>();

  constructor(
    private readonly prepared: Prepared,
    private readonly asker: Asker,
    onTrouble: (message: string) => void,
  ) {
    this.passwords = new PasswordChecker(onTrouble);
    for (const { rules } of prepared.plan.roads)
      if (rules.rate !== null) this.keepers.set(rules, new RateKeeper(rules.rate));
  }

  /** Reads a request once: what it asks for, which road that is, and who the visitor is. */
  read(request: AnyRequest, visitor: Visitor): Read {
    return contextOf(this.prepared, toVerdictRequest(request, visitor));
  }

  /** Counts the request where its road has a rate. @param challenge what is to be answered to an authority, or null */
  decide(read: Read, challenge: string | null, asked: AnyRequest): Verdict | Promise<Verdict> {
    const again = (known: Partial<VerdictRequest>): Verdict =>
      decideIn({ ...read, request: { ...read.request, ...known } });
    const first = challenge === null ? decideIn(read) : again({ challenge });
    const { road, client } = read;
    if (road === null) return first;
    const keeper = this.keepers.get(road.rules);
    if (keeper !== undefined && reachesRate(first) && keeper.isOver(countedAs(countedOf(client)), performance.now()))
      return again({ overRate: true });
    return isOpen(first) ? this.settle(read, first, asked) : first;
  }

  /** What a service said of the request that got this verdict; undefined where none was asked. */
  heardFor(verdict: Verdict): HeardWord | undefined {
    return this.heard.get(verdict);
  }

  /** Learns one thing after the other that the gate wants to know: each is asked once. */
  private async settle(read: Read, first: Verdict, asked: AnyRequest): Promise<Verdict> {
    const { road, client, target, request } = read;
    const words: Record<string, HeardWord> = {};
    let known: Partial<VerdictRequest> = {};
    let verdict = first;
    while (road !== null) {
      if (verdict.act === 'ask' && words[verdict.said] === undefined) {
        words[verdict.said] = await this.asker.ask(verdict, asked);
        known = { ...known, words: { ...words } };
      } else if (asksForPassword(verdict) && known.person === undefined) {
        const authorization = request.headers['authorization']?.[0];
        known = {
          ...known,
          ...(await this.passwords.prove(road, { target, client: countedOf(client), authorization })),
        };
      } else break;
      verdict = decideIn({ ...read, request: { ...request, ...known } });
    }
    const heard = verdict.act === 'relay' ? words[verdict.said] : undefined;
    if (heard !== undefined) this.heard.set(verdict, heard);
    return verdict;
  }

  stop(): Promise<void> {
    return this.passwords.stop();
  }
}

function isOpen(verdict: Verdict): boolean {
  return verdict.act === 'ask' || asksForPassword(verdict);
}

function asksForPassword(verdict: Verdict): boolean {
  return verdict.act === 'answer' && verdict.status === 401;
}

function reachesRate({ because }: Verdict): boolean {
  const step = because[0]?.step;
  return step !== undefined && !isBefore(step, 'rate');
}
