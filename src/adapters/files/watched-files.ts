import { existsSync, statSync, watch, type FSWatcher } from 'node:fs';
import { basename, dirname, join } from 'node:path';

/**
 * Tells when one of some files may have changed: through their folders, since editors put another file in the place of the old one. A folder that is not
 * there yet is waited for. What a system does not tell, as on some network drives, `stateOf` finds when it is compared.
 */
export class WatchedFiles {
  private readonly watchers = new Map<string, FSWatcher>();
  private wanted = new Map<string, Set<string>>();

  constructor(private readonly onNews: (path: string) => void) {}

  /** From now on these, and no others. Paths are absolute. */
  watch(files: readonly string[]): void {
    this.wanted = new Map();
    for (const file of files) this.want(file);
    for (const [folder, watcher] of this.watchers) {
      if (this.wanted.has(folder)) continue;
      watcher.close();
      this.watchers.delete(folder);
    }
    for (const folder of this.wanted.keys()) if (!this.watchers.has(folder)) this.begin(folder);
  }

  stop(): void {
    for (const watcher of this.watchers.values()) watcher.close();
    this.watchers.clear();
  }

  /** The nearest folder above that is there, and the name in it that leads on to the file. */
  private want(path: string): void {
    const [folder, name] = [dirname(path), basename(path)];
    if (!existsSync(folder) && folder !== path) {
      this.want(folder);
      return;
    }
    this.wanted.set(folder, (this.wanted.get(folder) ?? new Set()).add(name));
  }

  private begin(folder: string): void {
    try {
      const watcher = watch(folder, (_, name) => {
        if (name === null || this.wanted.get(folder)?.has(name) === true) this.onNews(join(folder, name ?? ''));
      });
      watcher.on('error', () => {
        watcher.close();
        this.watchers.delete(folder);
      });
      this.watchers.set(folder, watcher);
    } catch {
      // It is compared from time to time all the same.
    }
  }
}

/** What tells one content of some files from another: their numbers, sizes and times. */
export function stateOf(files: readonly string[]): string {
  const state = (path: string): string => {
    const found = statSync(path, { throwIfNoEntry: false, bigint: true });
    return found === undefined ? '-' : [found.ino, found.size, found.mtimeNs].join(':');
  };
  return files
    .map((path) => {
      try {
        return state(path);
      } catch {
        return '?';
      }
    })
    .join(' ');
}
