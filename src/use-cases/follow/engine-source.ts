import { setTimeout as pause } from 'node:timers/promises';
import type { EngineAddress } from '../../adapters/engine/address.ts';
import { engineEvents } from '../../adapters/engine/events.ts';
import { EngineReader, type EngineFacts } from '../../adapters/engine/read-engine.ts';
import { Trouble } from '../../adapters/trouble.ts';
import type { Heard, Source } from './source.ts';

/** So long after a broken connection the engine is asked for its events again, and at most so long. */
const backMs = { first: 250, most: 5_000 };

/**
 * Listens to an engine's events, and reads what they concern. When the connection breaks, all is read anew once it listens again: what happened in
 * between was told to nobody. While the engine is away what it said last stands.
 */
export class EngineSource implements Source {
  private readonly reader: EngineReader;
  private readonly stopped = new AbortController();
  private stale: Set<string> | 'all' = 'all';
  private facts: EngineFacts | null = null;
  private onNews: () => void = () => undefined;

  constructor(private readonly address: EngineAddress) {
    this.reader = new EngineReader(address);
  }

  start(onNews: () => void): void {
    this.onNews = onNews;
    void this.listen();
  }

  async read(): Promise<Heard> {
    const stale = this.stale;
    this.stale = new Set();
    try {
      this.facts = await this.reader.read(stale);
      return { facts: this.facts, problem: null };
    } catch (error) {
      // Nothing of what was to be read is known now.
      this.stale = 'all';
      if (!(error instanceof Trouble)) throw error;
      return { facts: this.facts, problem: error.message };
    }
  }

  doubt(): void {
    this.stale = 'all';
  }

  stop(): void {
    this.stopped.abort();
  }

  private async listen(): Promise<void> {
    const { signal } = this.stopped;
    let waitMs = backMs.first;
    const onOpen = (): void => {
      waitMs = backMs.first;
      this.stale = 'all';
      this.onNews();
    };
    while (!signal.aborted) {
      // Whether it answers at all is found, and told, when it is read.
      await this.hear(onOpen).catch(() => undefined);
      if (signal.aborted) return;
      this.stale = 'all';
      this.onNews();
      await pause(waitMs, undefined, { signal }).catch(() => undefined);
      waitMs = Math.min(waitMs * 2, backMs.most);
    }
  }

  /** Until the connection breaks. */
  private async hear(onOpen: () => void): Promise<void> {
    for await (const { container } of engineEvents(this.address, { signal: this.stopped.signal, onOpen })) {
      if (this.stale !== 'all' && container !== null) this.stale.add(container);
      this.onNews();
    }
  }
}
