import { readFound, type EngineHeard } from '../../adapters/files/found.ts';
import { isHeld } from '../../adapters/files/lock.ts';
import { stateOf, WatchedFiles } from '../../adapters/files/watched-files.ts';
import type { HeardEngines } from '../survey/take-inventory.ts';
import type { Source } from './source.ts';

const nothingYet = {
  message: 'The half of `follow` that asks the engine has written nothing yet.',
  remedy: 'Start it: mile-marker follow --half engine',
};

const gone = {
  message: 'The half of `follow` that asks the engine is not running, so nothing new is noticed.',
  remedy: 'Start it: mile-marker follow --half engine. With systemd: systemctl restart mile-marker-follow-engine',
};

/** What the other half of `follow` wrote down, which has the engine's socket where this one has none. */
export class FoundSource implements Source {
  private readonly watched = new WatchedFiles(() => this.onNews());
  private onNews: () => void = () => undefined;
  private last: { state: string; engines: Record<string, EngineHeard> } | null = null;

  /** @param finding lock of the other half */
  constructor(
    private readonly path: string,
    private readonly finding: string,
  ) {}

  start(onNews: () => void): void {
    this.onNews = onNews;
    this.watched.watch([this.path]);
  }

  use(): void {
    // The other half reads the map too.
  }

  async read(): Promise<HeardEngines> {
    const state = stateOf([this.path]);
    const found = this.last?.state === state ? null : await readFound(this.path);
    if (found !== null) this.last = { state, engines: found.engines };
    const isThere = this.last?.state === state;
    const isRunning = await isHeld(this.finding);
    const { '': engine = null, ...machines } = this.last?.engines ?? {};
    if (isThere && !isRunning)
      return { engine: { facts: engine?.facts ?? null, trouble: gone }, machines: new Map(Object.entries(machines)) };
    if (isThere) return { engine, machines: new Map(Object.entries(machines)) };
    return {
      engine: { facts: engine?.facts ?? null, trouble: nothingYet },
      machines: new Map(Object.entries(machines)),
    };
  }

  doubt(): void {
    this.watched.watch([this.path]);
  }

  stop(): void {
    this.watched.stop();
  }
}
