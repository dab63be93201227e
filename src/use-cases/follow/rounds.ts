/**
 * In milliseconds: so long nothing must happen before something is done, but at most so long it is waited for; and so often everything is compared,
 * whatever was told.
 */
export interface Pace {
  quiet: number;
  most: number;
  compare: number;
}

const usualPace: Pace = { quiet: 100, most: 500, compare: 30_000 };

/** Does the same work again whenever there is news: never twice at a time, and once for a burst. */
export class Rounds {
  private due: NodeJS.Timeout | null = null;
  private since: number | null = null;
  private isDue = false;
  private wake: () => void = () => undefined;

  /** @param work gets the time of the first news that it is about, in milliseconds since the epoch */
  constructor(
    private readonly work: (since: number) => Promise<void>,
    private readonly pace: Pace = usualPace,
  ) {}

  /** Something happened: a burst of it is waited for, though not for ever. */
  news(): void {
    const now = Date.now();
    this.since ??= now;
    if (this.due !== null) clearTimeout(this.due);
    const left = Math.max(0, Math.min(this.pace.quiet, this.since + this.pace.most - now));
    this.due = setTimeout(() => this.begin(), left);
  }

  /** @param doubt called before each comparison */
  async run(signal: AbortSignal, doubt: () => void): Promise<void> {
    const compare = setInterval(() => {
      doubt();
      this.begin();
    }, this.pace.compare);
    const stop = (): void => this.wake();
    signal.addEventListener('abort', stop);
    this.isDue = true;
    try {
      for (;;) {
        if (signal.aborted) return;
        if (this.isDue) {
          const since = this.since ?? Date.now();
          this.isDue = false;
          this.since = null;
          await this.work(since);
        } else await new Promise<void>((resolve) => (this.wake = resolve));
      }
    } finally {
      clearInterval(compare);
      if (this.due !== null) clearTimeout(this.due);
      signal.removeEventListener('abort', stop);
    }
  }

  private begin(): void {
    this.isDue = true;
    this.wake();
  }
}
