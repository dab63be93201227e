import type { Rate } from '../core/map/units.ts';

/** What one client has used up. `excess` in thousandths of a request. */
interface Bucket {
  excess: number;
  last: number;
}

/**
 * A leaky bucket a client, counted as servers do that let a burst pass without delay: so many requests at once pass, and
 * they drain at the rate. What was refused is not counted.
 */
export class RateKeeper {
  private readonly buckets = new Map<string, Bucket>();

  /** @param most how many clients are kept; the one that was seen longest ago makes room */
  constructor(
    private readonly rate: Rate,
    private readonly most = 16_000,
  ) {}

  /** Counts one request of a client. @param now milliseconds of a clock that only goes forward @returns whether it is one too many */
  isOver(client: string, now: number): boolean {
    const before = this.buckets.get(client);
    const perMs = this.rate.requests / this.rate.perSeconds;
    const excess = before === undefined ? 0 : Math.max(0, before.excess - (now - before.last) * perMs + 1000);
    if (excess > this.rate.burst * 1000) return true;
    this.buckets.delete(client);
    if (this.buckets.size >= this.most) this.forgetOldest();
    this.buckets.set(client, { excess, last: now });
    return false;
  }

  private forgetOldest(): void {
    const [oldest] = this.buckets.keys();
    if (oldest !== undefined) this.buckets.delete(oldest);
  }
}
