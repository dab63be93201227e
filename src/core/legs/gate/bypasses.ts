import { card } from '../../findings/card.ts';
import { isPrivate, withPort } from '../../networks/address.ts';
import type { PlannedRoad } from '../../plan/plan.ts';
import type { Problem } from '../leg.ts';

const bypassed = card({
  id: 'front-bypassed',
  severity: 'error',
  summary: 'A service also answers at the public address itself, past the front.',
  why: 'Anyone who uses that port bypasses the gate, the certificate and the rules of the road. Containers publish their ports to everyone by default, past most firewalls.',
  source: 'map reference: `to`; RFC 9293 §3.5',
  messages: {
    gated: {
      message: '{names} also answers at {url}, past the front and its gate.',
      remedy: 'Remove the port from the router, and {close}.',
    },
    open: {
      message: '{names} also answers at {url}, past the front.',
      remedy: 'Remove the port from the router, and {close}.',
    },
    here: {
      message:
        '{names} also answers at {url}, past the front. Seen from the machine itself, it is not clear whether a firewall keeps strangers out.',
      remedy: 'To close it, {close}. Or run verify from another network.',
    },
    home: {
      message: '{names} also answers at {url}, past the front, for everybody at home.',
      remedy: 'Fine if everybody at home may use it. If not, {close}.',
    },
  },
});

const rate = card({
  id: 'rate-not-kept',
  severity: 'error',
  summary: 'The front answers more requests than the map allows.',
  why: 'Nothing slows down somebody who guesses passwords or copies everything.',
  source: 'map reference: `rate`; RFC 6585 §4',
  messages: {
    all: {
      message: '{names} answered {sent} requests within {seconds} s, but the map allows {allowed}.',
      remedy: 'Make the map live: {live}',
    },
  },
});

export const bypassedCards = [bypassed, rate];

/**
 * A service that was found at an address of the front itself.
 *
 * @property part prefix of the part of the road that leads to it
 * @property isHere the address is this machine's own
 */
export interface Bypass {
  part: string;
  scheme: 'http' | 'https';
  address: string;
  port: number;
  isHere: boolean;
}

export function bypassedProblems(road: PlannedRoad, found: readonly Bypass[]): Problem[] {
  const groups = new Map<string, { way: Pick<Problem, 'say' | 'severity'>; found: Bypass[] }>();
  for (const one of found) {
    const way = judged(road, one);
    const key = `${way.say} ${String(one.port)}`;
    const group = groups.get(key) ?? { way, found: [] };
    group.found.push(one);
    groups.set(key, group);
  }
  return [...groups.values()].map(({ way, found: same }) => {
    const urls = [...new Set(same.map(({ scheme, address, port }) => `${scheme}://${withPort(address, port)}/`))];
    return {
      card: bypassed,
      ...way,
      data: { url: urls.join(' and '), close: closing(road, same) },
      cause: `bypass:${urls.join(' ')}`,
      parts: [...new Set(same.map(({ part }) => part))],
    };
  });
}

/** What closes it. A cluster opens the port of a service on every address of a node. */
function closing({ parts }: PlannedRoad, same: readonly Bypass[]): string {
  const led = parts.filter(({ prefix }) => same.some(({ part }) => part === prefix));
  if (led.some(({ resolution }) => (resolution?.service?.cluster ?? null) !== null))
    return 'load rules for the firewall on each node: mile-marker install firewall';
  return `publish port ${String(same[0]?.port ?? 0)} on loopback only: mile-marker check names the line`;
}

function judged({ gate }: PlannedRoad, { address, isHere }: Bypass): Pick<Problem, 'say' | 'severity'> {
  if (isPrivate(address)) return { say: 'home', severity: 'note' };
  if (isHere) return { say: 'here', severity: 'warning' };
  return gate.parts.length > 0 ? { say: 'gated' } : { say: 'open', severity: 'warning' };
}

/** What came of as many requests as the map must not let through. @property answered those that were answered by something else than a limit */
export interface RateEvidence {
  answered: number;
  wasLimited: boolean;
  seconds: number;
}

/** How many requests within a time a leaky bucket lets through at most. */
export function allowedWithin({ rules }: PlannedRoad, seconds: number): number {
  const { rate: planned } = rules;
  if (planned === null) return Infinity;
  return planned.burst + 1 + Math.ceil((planned.requests / planned.perSeconds) * seconds);
}

/** Only what went through beyond any doubt counts: a slow front may have let everything through rightly. */
export function rateProblem(road: PlannedRoad, { answered, wasLimited, seconds }: RateEvidence): Problem[] {
  const allowed = allowedWithin(road, seconds);
  if (wasLimited || answered <= allowed) return [];
  const data = { sent: answered, allowed, seconds: seconds.toFixed(1) };
  return [{ card: rate, say: 'all', data, cause: `rate:${road.name}` }];
}
