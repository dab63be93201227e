import { reportRow } from './report.ts';

/**
 * How far behind `follow` is when changes come all the time: an hour of changes at random moments, each waited for until the burst is over, and everything that
 * came during a round taken up by the next. What a round costs is what `npm run bench -- follow` measured.
 */
const hours = 24;
const quietSeconds = 0.1;
const mostSeconds = 0.5;

interface Costs {
  what: string;
  /** One round, from the first news to the mark, in seconds. */
  round: number;
}

const costs: readonly Costs[] = [
  { what: 'builtin, 10 roads', round: 0.2 },
  { what: 'nginx, 10 roads', round: 0.75 },
  { what: 'builtin, 1000 roads', round: 1.1 },
  { what: 'nginx, 1000 roads', round: 1.6 },
];

export function measureTowardMany(): Promise<boolean> {
  for (const perHour of [10, 1000])
    for (const { what, round } of costs) {
      const { median, late, busy } = simulate(perHour, round);
      reportRow({
        what: `many: ${what}, ${String(perHour)} changes an hour`,
        found: `median ${median.toFixed(1)} s, 95 % within ${late.toFixed(1)} s, busy ${(busy * 100).toFixed(0)} %`,
        limit: 'simulated',
        passed: true,
      });
    }
  return Promise.resolve(true);
}

/** @returns seconds from a change until it is live, and the share of the time in which something is under way */
function simulate(perHour: number, round: number): { median: number; late: number; busy: number } {
  const random = seeded(20_261_130);
  const arrivals: number[] = [];
  for (let at = 0; at < hours * 3600;) {
    at += (-Math.log(1 - random()) * 3600) / perHour;
    arrivals.push(at);
  }
  const waits: number[] = [];
  let free = 0;
  let busy = 0;
  for (let next = 0; next < arrivals.length;) {
    const first = Math.max(arrivals[next] ?? 0, free);
    let begin = first + quietSeconds;
    let end = next;
    while (end < arrivals.length && (arrivals[end] ?? Infinity) <= begin) {
      begin = Math.min(Math.max(begin, (arrivals[end] ?? 0) + quietSeconds), first + mostSeconds);
      end += 1;
    }
    free = begin + round;
    busy += round;
    for (const at of arrivals.slice(next, end)) waits.push(free - at);
    next = end;
  }
  waits.sort((a, b) => a - b);
  const at = (share: number): number => waits[Math.floor(waits.length * share)] ?? NaN;
  return { median: at(0.5), late: at(0.95), busy: busy / (hours * 3600) };
}

/** The same each time (mulberry32). */
function seeded(seed: number): () => number {
  let state = seed;
  return () => {
    state = (state + 0x6d2b79f5) | 0;
    let mixed = Math.imul(state ^ (state >>> 15), 1 | state);
    mixed = (mixed + Math.imul(mixed ^ (mixed >>> 7), 61 | mixed)) ^ mixed;
    return ((mixed ^ (mixed >>> 14)) >>> 0) / 4_294_967_296;
  };
}
