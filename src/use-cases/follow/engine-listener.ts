import { setTimeout as pause } from 'node:timers/promises';
import type { EngineAddress } from '../../adapters/engine/address.ts';
import { engineEvents } from '../../adapters/engine/events.ts';
import { EngineReader, type EngineFacts } from '../../adapters/engine/read-engine.ts';
import type { EngineHeard } from '../../adapters/files/found.ts';
import { Trouble } from '../../adapters/trouble.ts';

/** So long after a broken connection the engine is asked for its events again, and at most so long. */
const backMs = { first: 250, most: 5_000 };

/** So long one that hangs keeps the others waiting; before it has ever answered, as long as an answer may take. */
const patienceMs = 1_000;
const firstMs = 10_000;

/** So often a manager is asked what runs where. */
const clusterMs = 1_000;

/** With thousands of tasks an answer takes long to read: then so many times as long is rested. */
const restTimes = 10;

/**
 * Listens to an engine's events, and reads what they concern. When the connection breaks, all is read anew once it listens again: what happened in
 * between was told to nobody. While the engine is away what it said last stands.
 */
export class EngineListener {
  private readonly reader: EngineReader;
  private readonly stopped = new AbortController();
  private stale: Set<string> | 'all' = 'all';
  private facts: EngineFacts | null = null;
  private trouble: EngineHeard['trouble'] = null;
  /** One that is away is asked again when it is heard of, or when everything is doubted. */
  private isAway = false;
  private reading: Promise<void> | null = null;

  constructor(
    private readonly address: EngineAddress,
    isManager: boolean,
    private readonly onNews: () => void,
  ) {
    this.reader = new EngineReader(address, { isManager });
    void this.listen();
    if (isManager) this.lookAtCluster();
  }

  /** What it says now; of one that takes its time, what it said last, with news when it has answered. */
  async read(): Promise<EngineHeard> {
    if (!this.isAway) {
      this.reading ??= this.readNow().finally(() => (this.reading = null));
      const { reading } = this;
      const late = new AbortController();
      const isDone = await Promise.race([
        reading.then(() => true),
        pause(this.facts === null ? firstMs : patienceMs, false, { signal: late.signal }).catch(() => false),
      ]);
      late.abort();
      if (!isDone) void reading.then(() => this.onNews());
    }
    return { facts: this.facts, trouble: this.trouble };
  }

  doubt(): void {
    this.stale = 'all';
    this.isAway = false;
  }

  private async readNow(): Promise<void> {
    const stale = this.stale;
    this.stale = new Set();
    try {
      this.facts = await this.reader.read(stale);
      this.trouble = null;
    } catch (error) {
      // Nothing of what was to be read is known now.
      this.stale = 'all';
      if (!(error instanceof Trouble)) throw error;
      this.isAway = true;
      this.trouble = { message: error.message, remedy: error.remedy };
    }
  }

  stop(): void {
    this.stopped.abort();
  }

  /** A manager tells of services and nodes, but never of tasks on other nodes: it is asked. */
  private lookAtCluster(): void {
    let before = '';
    const look = async (): Promise<void> => {
      const now = JSON.stringify(await this.reader.readCluster());
      if (now !== before && before !== '') this.onNews();
      before = now;
    };
    const { signal } = this.stopped;
    const again = async (): Promise<void> => {
      for (let tookMs = 0; !signal.aborted;) {
        await pause(Math.max(clusterMs, tookMs * restTimes), undefined, { signal }).catch(() => undefined);
        const begin = performance.now();
        // One that is away is heard of again by its events.
        if (!this.isAway && !signal.aborted) await look().catch(() => undefined);
        tookMs = performance.now() - begin;
      }
    };
    void again();
  }

  private async listen(): Promise<void> {
    const { signal } = this.stopped;
    let waitMs = backMs.first;
    const onOpen = (): void => {
      waitMs = backMs.first;
      this.doubt();
      this.onNews();
    };
    while (!signal.aborted) {
      // Whether it answers at all is found, and told, when it is read.
      await this.hear(onOpen).catch(() => undefined);
      if (signal.aborted) return;
      this.doubt();
      this.onNews();
      await pause(waitMs, undefined, { signal }).catch(() => undefined);
      waitMs = Math.min(waitMs * 2, backMs.most);
    }
  }

  /** Until the connection breaks. */
  private async hear(onOpen: () => void): Promise<void> {
    for await (const { container } of engineEvents(this.address, { signal: this.stopped.signal, onOpen })) {
      if (this.stale !== 'all' && container !== null) this.stale.add(container);
      this.isAway = false;
      this.onNews();
    }
  }
}
