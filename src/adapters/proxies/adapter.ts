import { access, constants } from 'node:fs/promises';
import { delimiter, join } from 'node:path';
import type { ProxyName } from '../../core/proxies/names.ts';
import type { Plan } from '../../core/plan/plan.ts';
import { programOf } from '../../core/proxies/programs.ts';
import type { OwnFiles } from '../../core/proxies/whose.ts';
import type { Served } from '../../core/rules/rule.ts';
import { Trouble } from '../trouble.ts';

export type Env = Readonly<Record<string, string | undefined>>;

/** How a server program took a configuration. @property output its own words @property untested this machine does not let it be tested like this */
export interface Tried {
  passed: boolean;
  output: string;
  untested?: true;
}

/** A folder or file in place of another, for a test. */
export interface Swap {
  of: string;
  instead: string;
}

/**
 * How the installed program gets to the written files: it reads them already, it will by a file that is to be made, a person must say so; or it
 * refuses what it is set up with as it is. `first`: it lacks what our files need, until a person has done these steps. `barred`: this user may not do what is left to do; `path` of the file that is to be made, if that is known.
 */
export type Place =
  | { how: 'read' }
  | { how: 'file'; path: string }
  | { how: 'by-hand'; why: string }
  | { how: 'first'; why: string; steps: string }
  | { how: 'refuses'; why: string }
  | { how: 'barred'; why: string; path: string | null; isRead: boolean };

/** What a map needs of it. @property ports on which it must listen @property raw whether it passes on raw ports @property texts of its files that will be there */
export interface Needs {
  ports: readonly number[];
  raw: boolean;
  texts: readonly string[];
}

/** @property isTested the very files were tested a moment ago @property isMoved files come or go that say where it listens */
export interface Reloading {
  isTested?: boolean;
  isMoved?: boolean;
}

/** The server program of this machine, as its administrator runs it. `program` is its path; of the proxy that is part of this program, the map's. */
export interface InstalledProxy {
  placeFor: (program: string, entry: string, needs: Needs) => Promise<Place>;
  /** Its own test of all that it reads, with some of it in place of what is there. */
  testWith: (program: string, swaps: readonly Swap[]) => Promise<Tried>;
  /** Tests what it reads, then has it take that up anew. @property stopped of the outcome: it does not run */
  reload: (program: string, how?: Reloading) => Promise<Tried & { stopped?: true }>;
  start: (program: string) => Promise<Tried>;
  /** Whether it runs nothing but our files: without them it ends. */
  isOwn: boolean;
  /** Whether it runs, whatever it serves. */
  runs: (program: string) => Promise<boolean>;
  /** Ends it, with what it has under way. One that does not run is well. */
  stop: (program: string) => Promise<Tried>;
  /** Only for one that listens by lines of its own: files, other than ours, by which it would go on listening on these ports. */
  listensBy?: (program: string, ports: readonly number[], own: OwnFiles) => Promise<string[]>;
  /** Has it go on without our files, which are no more among what it reads. Default: as it takes up anything. */
  leave?: (program: string) => Promise<Tried>;
  /** Only for one whose loopback is its own: what it answers to its mark; null when that is nothing. */
  mark?: (at: { address: string; port: number }) => Promise<string | null>;
  /** Only for one with its own copies of certificates and password files: whether they are older than what is here. */
  isBehind?: () => Promise<boolean>;
  /** The last line of its errors about what it was told just now, where it says that nowhere else. */
  lastError?: (program: string) => Promise<string | null>;
}

/** A whole configuration round the written files. @property config its file, made of `standalone` @property current stable path of the edition */
export interface OwnConfig {
  config: string;
  current: string;
}

/** An instance that was started by us, as a child of ours. */
export interface OwnInstance {
  stop: () => Promise<void>;
}

/**
 * The half of a server program that touches the machine: it finds and runs the program, each call with a time limit. What there is to know of
 * it without a machine is its `ProxyProgram` in core.
 */
export interface ProxyAdapter {
  /** @throws Trouble `proxy-missing` */
  find: (env: Env) => Promise<string>;
  /** Null when it does not say. */
  version: (program: string) => Promise<string | null>;
  /** Names of the modules that it is built with. */
  modules: (program: string) => Promise<string[]>;
  /** Runs its own test of a configuration. */
  test: (program: string, own: OwnConfig) => Promise<Tried>;
  /** Has what runs with this configuration take it up anew. */
  reload: (program: string, own: OwnConfig) => Promise<Tried>;
  installed: InstalledProxy;
  /** Words of the command that runs it in the foreground, for people. */
  startWords: (own: OwnConfig) => string[];
  /** Words of the command that does that, for others to run. */
  reloadWords: (program: string, own: OwnConfig) => string[];
  /** What it serves by files that are not those of this map, by its own dump; nothing when it is not installed. Null: by no files of ours at all. */
  served: (env: Env, own: OwnFiles | null) => Promise<Served>;
  /** What it really reads, in its own words, comments and all. @throws Trouble `proxy-refuses` when it does not accept it itself */
  dump: (program: string) => Promise<string>;
  /** A whole configuration round the written files, for an instance of one's own that needs no root. */
  standalone: (input: { current: string; runFolder: string; user: string | null }) => string;
  /** Only for one that does not look itself: tells it which challenges of authorities are pending, for now and for its next start. */
  tellChallenges?: (plan: Plan) => Promise<void>;
  /** Tests a configuration, then runs it in the foreground as a child of ours. @throws Trouble `proxy-refuses` with its own words */
  start: (program: string, own: OwnConfig) => Promise<OwnInstance>;
}

const asked = Number(process.env['MILE_MARKER_PATIENCE']);

/** How long a server program may take for a test, a dump or a reload, in milliseconds. With ten thousand names a test may take half a minute. */
export const patienceMs = asked > 0 ? asked * 1000 : 120_000;

/** How long a front may take until it answers its new mark. */
export const markPatienceMs = asked > 0 ? asked * 1000 : 60_000;

/**
 * Finds a program on the PATH, and where Debian keeps servers, which is not on everyone's.
 *
 * @throws Trouble `proxy-missing`
 */
export async function findProgram(name: ProxyName, file: string, env: Env): Promise<string> {
  for (const folder of [...(env['PATH'] ?? '').split(delimiter), '/usr/sbin', '/usr/local/sbin']) {
    const program = join(folder === '' ? '.' : folder, file);
    const usable = await access(program, constants.X_OK).then(
      () => true,
      () => false,
    );
    if (usable) return program;
  }
  const { title, words } = programOf(name);
  throw new Trouble({
    code: 'proxy-missing',
    message: `${title} is not installed on this machine.`,
    remedy: `On Debian: ${words.install ?? ''}`,
  });
}

export function refused(name: ProxyName, output: string): Trouble {
  return new Trouble({
    code: 'proxy-refuses',
    message: `${programOf(name).title} does not accept the written configuration: ${output.trim()}`,
    remedy: 'If a port is in use, stop the program that uses it. If not, please report this.',
  });
}
