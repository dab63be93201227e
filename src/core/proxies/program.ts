import type { ServerBlock } from './server-block.ts';
import type { Answer } from '../legs/answer.ts';
import type { CheckKind } from '../gates/check.ts';
import type { HashKind } from '../people/hash-kinds.ts';
import type { Protocol } from '../map/site-map.ts';
import type { Plan } from '../plan/plan.ts';
import type { Sent } from '../rehearsal/sent.ts';
import type { Prepared, Verdict } from '../verdict/verdict.ts';
import type { DifferenceId, Differs } from './differences.ts';
import type { TakenOver } from '../takeover/taken-over.ts';
import type { ProxyName } from './names.ts';
import type { Renderer } from './renderer.ts';
import type { OwnFiles } from './whose.ts';

/**
 * One server program that can answer at the front: all that the rest of Mile Marker knows about it. Its other half, which finds the program on
 * a machine and runs it, is `adapters/proxies`.
 *
 * @property title as a sentence names it
 * @property renderer null while this version does not write its configuration
 * @property differs what it does where proxies differ; null while its configuration is not written
 * @property takes which requests it takes otherwise than the verdict, by one of these; null when it does so with none
 * @property errorLog how its error log reads; null when it writes none
 * @property dump reads its own dump of what it serves; null when it has none
 * @property takeOver reads off that dump what a map can say of it; null when it cannot
 * @property switchOff turns what is in the way of a map in a file made by hand into comments; null when it cannot
 * @property users whom its packages have it run as, the likeliest first; empty when it runs as whoever starts it
 * @property userInImage the same in the image that the Compose file names; null when it runs as who owns the keys
 * @property units names of its systemd units; empty when it has none of its own
 * @property versions the lowest it is written for, and the newest it was tried with; null when it is this program itself
 * @property compose its part of the Compose file that `write --compose` writes
 * @property contained what it is told where it runs by that file
 */
export interface ProxyProgram {
  name: ProxyName;
  title: string;
  renderer: Renderer | null;
  differs: Differs | null;
  takes: ((sent: Sent, verdict: Verdict, prepared: Prepared) => Taking | null) | null;
  limits: ProxyLimits;
  /** Where its packages and its makers keep its configuration. */
  configFolders: readonly string[];
  pages: PageTraits;
  errorLog: ErrorLog | null;
  dump: ((text: string, own: OwnFiles | null) => ServerBlock[]) | null;
  takeOver: ((dump: string) => TakenOver) | null;
  switchOff: { make: (text: string, wanted: ToSwitchOff) => SwitchedOff; isMade: (text: string) => boolean } | null;
  users: readonly string[];
  userInImage: string | null;
  units: readonly string[];
  versions: { lowest: string; newest: string } | null;
  modules: readonly ProxyModule[];
  words: ProxyWords;
  hints: Partial<Record<Hint, string>>;
  compose: ((input: ComposeInput) => Record<string, unknown>) | null;
  contained: ContainedProxy | null;
}

/** A request that a declared difference is about: taken for another one, answered like this without a service, or with this verdict. */
export type Taking =
  { by: DifferenceId; as: Sent } | { by: DifferenceId; status: number } | { by: DifferenceId; verdict: Verdict };

/** @property covers whether a name is on the map @property ports of the front @property leaves the program gives these ports to another one */
export interface ToSwitchOff {
  covers: (name: string) => boolean;
  ports: readonly number[];
  leaves?: boolean;
}

/** The new text and how many servers are off in it, or why it cannot be. */
export type SwitchedOff = { text: string; servers: number } | { why: string };

/**
 * What it can and cannot do: its column of the capability table.
 *
 * @property checks what a gate can ask for there
 * @property hashes kinds of password hashes that it verifies
 * @property hashesInLoop a password that is checked keeps everybody else waiting
 * @property people where the people of a gate are kept: in the file that the map names, or in its own configuration
 * @property pair whether certificate and key are two files, or must be one
 * @property folders whether it can serve a folder
 * @property logFiles whether it can log requests to a file
 * @property pin whether it can hold a service to one public key
 * @property addressInCertificate whether it can hold a service to an address in its certificate, and not to names alone
 * @property refusesHandshake whether a name that it does not have can be refused in the handshake
 * @property closesSilently whether it can end a connection without an answer
 * @property rate whether it can limit requests
 * @property readsEveryLine whether it reads every line of any header in which an edge tells the visitor's address, and not its first one only
 * @property rawPorts protocols of raw ports that it passes on
 * @property readsFolder whether an edition of another proxy in the place of its own is nothing to it: it reads the files there that are its own, or none
 * @property readsFiles whether it reads written files as whom it serves as, for answers of its own
 * @property servesAsRoot whether it can be told to serve as root, which only a rehearsal asks of it
 * @property peopleFiles how many files of people it can ask for one road
 * @property severalTimes whether it goes to each of a service that runs several times; `alone`: not where a road has other parts
 * @property readsCertificatesAnew whether it shows a new certificate without being reloaded
 */
interface ProxyLimits {
  checks: readonly CheckKind[];
  hashes: readonly HashKind['id'][];
  hashesInLoop: boolean;
  people: 'file' | 'configuration';
  pair: 'two-files' | 'one-file';
  folders: boolean;
  logFiles: boolean;
  pin: boolean;
  addressInCertificate: boolean;
  refusesHandshake: boolean;
  closesSilently: boolean;
  rate: boolean;
  readsEveryLine: boolean;
  rawPorts: readonly Protocol[];
  readsFolder: boolean;
  readsFiles: boolean;
  servesAsRoot: boolean;
  peopleFiles: 'one' | 'many';
  severalTimes: 'yes' | 'alone' | 'no';
  readsCertificatesAnew: boolean;
}

/** By what its own pages are known, whoever configured it. */
interface PageTraits {
  isWelcome: (answer: Answer) => boolean;
  isOwnError: (answer: Answer) => boolean;
  /** What it answers to plain HTTP on a port that speaks HTTPS. */
  wantsHttps: (answer: Answer) => boolean;
}

/** @property usualPath where its packages have it write; null when nobody knows */
export interface ErrorLog {
  usualPath: string | null;
  /** Null for a line that is not in this program's form. */
  read: (line: string) => LogLine | null;
}

/** Why a front did not get to a service, where its log makes that clear. */
export type LogReason = 'head' | 'name' | 'denied' | 'plain' | 'dials';

/**
 * A line of an error log.
 *
 * @property words without time, process and what else is no news
 * @property isTalk no more than talk, such as that a visitor went away
 * @property client address of the visitor, as the front sees it; null when it does not say
 * @property dialled scheme, host and port of the service that was dialled; null when it does not say
 */
export interface LogLine {
  words: string;
  isTalk: boolean;
  client: string | null;
  dialled: string | null;
  reason: LogReason | null;
}

/** Something that it must be built with. @property package of Debian that has it */
interface ProxyModule {
  name: string;
  package: string;
}

/**
 * What is said to the program where it runs in a container of its own.
 *
 * @property test words of its own test of what `current` in that folder leads to; null when it has none
 * @property signal by which it takes up what was written since @property ask words that print what a URL answers, with what its images have
 */
export interface ContainedProxy {
  test: ((front: string) => string[]) | null;
  signal: 'HUP' | 'USR1' | 'USR2';
  /** Ends it when all requests under way are answered; null when it is no service of a cluster. */
  stop: 'SIGQUIT' | 'SIGUSR1' | 'SIGWINCH' | null;
  ask: (url: string) => string[];
}

/** Where the front runs: on this machine, in a container of this name, or as a service of a cluster. */
export type FrontPlace = Pick<Plan['front'], 'container'> & Partial<Pick<Plan['front'], 'cluster'>>;

/** What a person types or does, right for this program. */
export interface ProxyWords {
  /** Bring what is on the map live, as the end of a sentence: a command, where one does it. */
  goLive: (place: FrontPlace) => string;
  /** The same when it may be for the first time. */
  first: (place: FrontPlace) => string;
  /** Have it take up what is written already. */
  reload: (place: FrontPlace) => string;
  start: (place: FrontPlace) => string;
  /** Have it started with the machine. @param map path of the map */
  atBoot: (map: string) => string;
  /** The package to install, when it is missing. */
  install: string | null;
}

/** Settings that put one thing right in a configuration made by hand, as the end of a sentence. */
export type Hint =
  | 'keep-host'
  | 'keep-target'
  | 'pass-host'
  | 'pass-path'
  | 'escaped-slashes'
  | 'long-answer-heads'
  | 'early-hints'
  | 'uploads'
  | 'buffering'
  | 'visitor-address'
  | 'quiet-live'
  | 'tls-versions'
  | 'tls-suites'
  | 'listen-tls'
  | 'websocket'
  | 'default-site';

/**
 * @property front absolute path of the folder of the written files
 * @property certificates the same of the certificates
 * @property more what else it reads: folders and files of the map
 * @property program folder of Mile Marker itself
 * @property owner user and group that the certificates' keys belong to
 */
export interface ComposeInput {
  plan: Plan;
  mapFile: string;
  front: string;
  certificates: string;
  more: readonly string[];
  program: string;
  owner: { uid: number; gid: number };
}
