import type { Plan } from '../plan/plan.ts';

/** One file of an edition. `path` is relative to the edition's folder, with `/` between its parts. */
export interface WrittenFile {
  path: string;
  content: string;
  /** Hashes of passwords stand in it: for its owner alone. */
  secret?: true;
}

/**
 * Where the written files will lie, as the server sees it.
 *
 * @property current the stable path of the newest edition
 * @property version of the server program; null or absent when it is not known, and the files are such as every version takes
 */
export interface Placement {
  current: string;
  version?: string | null;
  /** Who stands in a password file, for a server that keeps people in its own configuration. */
  people: (file: string) => ReadonlyArray<{ name: string; hash: string }>;
}

/**
 * Turns a plan into the files of one server program. Pure and deterministic: equal plans give equal bytes.
 *
 * @property entry path of the one file that the server's own configuration includes
 * @property includeLine the line a person adds to the server's own configuration, and where; null when it has none
 * @property rawLine the same for raw ports, where they are read elsewhere; null when the first line is enough
 * @property essence what of the files decides what visitors get: equal essence, equal front. The digest in the mark is made of it
 * @property unusablePath why a folder's path cannot stand in this server's configuration, or null
 */
export interface Renderer {
  entry: string;
  includeLine: (placement: Pick<Placement, 'current'>) => { line: string; where: string; apply?: string } | null;
  rawLine: ((placement: Pick<Placement, 'current'>) => { line: string; where: string }) | null;
  render: (plan: Plan, placement: Placement) => WrittenFile[];
  essence: (plan: Plan, rendered: readonly WrittenFile[]) => readonly WrittenFile[];
  renderMark: (plan: Plan, mark: string) => WrittenFile;
  unusablePath: (path: string) => string | null;
}
