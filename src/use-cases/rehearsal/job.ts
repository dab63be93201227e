import type { StatePaths } from '../../adapters/files/state-folder.ts';
import type { Plan } from '../../core/plan/plan.ts';
import type { WrittenFile } from '../../core/proxies/renderer.ts';

/**
 * What a rehearsal is told, by a file in its scratch folder.
 *
 * @property sealed in a network and with mounts of its own, with all that is written at its own place; else on free ports of loopback
 * @property program path of the server program; null for the proxy that is part of this one
 * @property files the whole edition @property number of it @property mark what the front answers when it runs
 * @property current path of the link that leads to it
 * @property people who stands in each password file, by its path
 * @property names what people call each service, in the order of `upstreamsOf`
 * @property now ISO 8601
 */
export interface Job {
  sealed: boolean;
  program: string | null;
  plan: Plan;
  files: WrittenFile[];
  number: number;
  mark: string;
  current: string;
  paths: StatePaths;
  scratch: string;
  people: Array<[string, string[]]>;
  /** Names of the map's devices. */
  devices: string[];
  names: string[];
  now: string;
}

/** One case as it went. @property untested why it was not played; null when it was @property differences empty: as meant */
export interface CaseResult {
  road: string | null;
  prefix: string | null;
  what: string;
  expected: string;
  got: string | null;
  untested: string | null;
  differences: Array<{ expected: string; got: string }>;
}

/** @property strays what reached services without having been asked for */
export interface Report {
  results: CaseResult[];
  strays: string[];
}
