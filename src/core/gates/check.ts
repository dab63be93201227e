import type { Place } from '../findings/finding.ts';
import type { NetworkSet } from '../networks/home.ts';
import type { Upstream } from '../plan/upstream.ts';

/** Visitors of these networks pass. */
export interface NetworksCheck extends NetworkSet {
  kind: 'networks';
}

/** People of a password file pass. @property file absolute path */
export interface PeopleCheck {
  kind: 'people';
  file: string;
}

/**
 * Devices pass that have a certificate of this map.
 *
 * @property names null for every device that was not removed @property tell whether the road's service is told which one it is
 * @property authority absolute path of the certificate that vouches for devices @property removed the list of those that count no more (RFC 5280 §5)
 */
export interface DevicesCheck {
  kind: 'devices';
  names: string[] | null;
  tell: boolean;
  authority: string;
  removed: string;
}

/**
 * Visitors pass whom a service lets pass, which is asked about each request.
 *
 * @property said as the map writes it: `login-desk:9091/check`
 * @property path what it is asked for there
 * @property tell headers of its answer that the road's service gets, in lower case
 * @property upstream null where it is not known where that service is: then nobody passes
 */
export interface AsksCheck {
  kind: 'asks';
  said: string;
  path: string;
  tell: string[];
  upstream: Upstream | null;
}

/** What a gate can ask for, each kind with what it needs to know. The kinds themselves are in files of their names. */
export interface Checks {
  networks: NetworksCheck;
  devices: DevicesCheck;
  people: PeopleCheck;
  asks: AsksCheck;
}

export type CheckKind = keyof Checks;
export type Check = Checks[CheckKind];

/** Who may pass: all parts must agree. Without a part everyone passes. @property name for people */
export interface PlannedGate {
  name: string;
  parts: GatePart[];
}

/**
 * One gate of the map.
 *
 * @property checks at least one, at most one of a kind, in the order of `checkOrder`
 * @property need whether one of several checks is enough
 * @property except prefixes of targets that pass ungated, matched in normal form only
 */
export interface GatePart {
  name: string;
  checks: Check[];
  need: 'any' | 'all';
  except: string[];
  where: Place;
}

/** The check of one kind; null where a part does not ask for it. */
export function checkOf<K extends CheckKind>({ checks }: Pick<GatePart, 'checks'>, kind: K): Checks[K] | null {
  return (checks.find((check) => check.kind === kind) as Checks[K] | undefined) ?? null;
}

/** All checks of one kind, in the order of the parts. */
export function checksOf<K extends CheckKind>({ parts }: PlannedGate, kind: K): Array<Checks[K]> {
  return parts.flatMap((part) => checkOf(part, kind) ?? []);
}

/** Whether any part asks for it. */
export function asksFor({ parts }: PlannedGate, kind: CheckKind): boolean {
  return parts.some(({ checks }) => checks.some((check) => check.kind === kind));
}

/** The password files of a gate, each once. */
export function filesOf(gate: PlannedGate): string[] {
  return [...new Set(checksOf(gate, 'people').map(({ file }) => file))];
}

/** What a front reads of a gate's devices, each file once. */
export function deviceFilesOf(gate: PlannedGate): string[] {
  return [...new Set(checksOf(gate, 'devices').flatMap(({ authority, removed }) => [authority, removed]))];
}

/** The networks of a gate, as they stand in its checks. */
export function networksOf(gate: PlannedGate): string[] {
  return checksOf(gate, 'networks').flatMap(({ networks }) => networks);
}
