import { readFoundFile, type FoundFile } from '../../adapters/files/found.ts';
import { stateOf, WatchedFiles } from '../../adapters/files/watched-files.ts';
import type { Heard, Source } from './source.ts';

/** What the other half of `follow` wrote down, which has the engine's socket where this one has none. */
export class FoundSource implements Source {
  private readonly watched = new WatchedFiles(() => this.onNews());
  private onNews: () => void = () => undefined;
  private last: { state: string; found: FoundFile } | null = null;

  constructor(private readonly path: string) {}

  start(onNews: () => void): void {
    this.onNews = onNews;
    this.watched.watch([this.path]);
  }

  async read(): Promise<Heard> {
    const state = stateOf([this.path]);
    if (this.last?.state !== state) {
      const found = await readFoundFile(this.path);
      if (found === null)
        return {
          facts: this.last?.found.facts ?? null,
          problem: 'The half of `follow` that asks the engine has written nothing yet.',
        };
      this.last = { state, found };
    }
    const { facts, problem } = this.last.found;
    return { facts, problem };
  }

  doubt(): void {
    this.watched.watch([this.path]);
  }

  stop(): void {
    this.watched.stop();
  }
}
