import type { WantedRecord } from './wanted.ts';

/** A record as a server has it, in the same form as one that is wanted. */
export type FoundRecord = WantedRecord;

/**
 * All records of one name and type (RFC 2181 §5). Changed as one, since the values belong together.
 *
 * @property before values that stand there now @property after values that shall stand there
 */
export interface SetChange {
  name: string;
  type: WantedRecord['type'];
  before: FoundRecord[];
  after: FoundRecord[];
  /** The answer may have come from a wildcard record, so that whether the set is there is not known. */
  unsure?: boolean;
}

/** @property kept sentences about what is left as it is, and why */
interface ZoneChange {
  changes: SetChange[];
  kept: string[];
}

interface ChangeInput {
  wanted: readonly WantedRecord[];
  found: readonly FoundRecord[];
  /** Names and types that only a wildcard record may have answered for, as "NAME TYPE". */
  unsure: ReadonlySet<string>;
  /** Names that have records of others, such as MX or TXT: an alias may not stand beside them. */
  shared: ReadonlyMap<string, string[]>;
  /** Names that an earlier publication put there and that the map no longer has. */
  gone: readonly string[];
  /** Address records for a name that cannot have an alias. */
  addresses: readonly string[];
}

const addressTypes = ['A', 'AAAA', 'CNAME'] as const;

/**
 * What must change so that the wanted records stand there: of the map's own names only, and of these only addresses and
 * aliases; of CAA only what is missing is added, since others may be in it too. Where an alias cannot stand, since the name has
 * records of others (RFC 1034 §3.6.2), it gets the addresses themselves.
 */
export function changesOf({ wanted, found, unsure, shared, gone, addresses }: ChangeInput): ZoneChange {
  const kept: string[] = [];
  const fitted = wanted.flatMap((record) => {
    const others = record.type === 'CNAME' ? (shared.get(record.name) ?? []) : [];
    if (others.length === 0) return [record];
    if (addresses.length === 0) {
      kept.push(
        `${record.name} has ${others.join(' and ')} records, and an alias cannot be beside them: add an address record by hand.`,
      );
      return [];
    }
    kept.push(
      `${record.name} has ${others.join(' and ')} records, and an alias cannot be beside them, so it gets the address itself.`,
    );
    return addresses.map((data) => addressRecord(record, data));
  });
  const names = [...new Set([...fitted.map(({ name }) => name), ...gone])];
  const none = new Set<string>();
  const setsOf = (name: string, doubted: ReadonlySet<string>): SetChange[] =>
    addressTypes.map((type) => setOf({ name, type, fitted, found, unsure: doubted }));
  // A name that answers as it should is left alone, whether by a record of its own or by a wildcard. Once one of its sets is
  // made the wildcard answers for it no more (RFC 4592 §2.2), so that the others must be made too.
  const sets = names.flatMap((name) => (setsOf(name, none).some(differs) ? setsOf(name, unsure) : []));
  const caa = [...new Set(fitted.filter(({ type }) => type === 'CAA').map(({ name }) => name))].map((name) => {
    const { before, after } = setOf({ name, type: 'CAA', fitted, found, unsure });
    if (before.length > 0 && after.some((one) => !has(before, one))) {
      kept.push(
        `${name} has CAA records already, and they are left as they are: ${before.map(({ data }) => data).join(', ')}.`,
      );
    }
    return { name, type: 'CAA' as const, before, after: before.length > 0 ? before : after };
  });
  return { changes: [...sets, ...caa].filter(differs), kept };
}

function addressRecord({ name, ttlSeconds }: WantedRecord, data: string): WantedRecord {
  return { name, type: data.includes(':') ? 'AAAA' : 'A', ttlSeconds, data };
}

interface SetInput {
  name: string;
  type: WantedRecord['type'];
  fitted: readonly WantedRecord[];
  found: readonly FoundRecord[];
  unsure: ReadonlySet<string>;
}

function setOf({ name, type, fitted, found, unsure }: SetInput): SetChange {
  const own = (one: WantedRecord): boolean => one.name === name && one.type === type;
  const set = { name, type, before: found.filter(own), after: fitted.filter(own) };
  return unsure.has(`${name} ${type}`) ? { ...set, before: [], unsure: true } : set;
}

function differs({ before, after }: SetChange): boolean {
  return before.length !== after.length || after.some((one) => !has(before, one)) || ttlOf(before) !== ttlOf(after);
}

function has(records: readonly WantedRecord[], { data }: WantedRecord): boolean {
  return records.some((one) => one.data === data);
}

function ttlOf([first]: readonly WantedRecord[]): number | null {
  return first?.ttlSeconds ?? null;
}

/** The same change backwards: what must be done to undo it, against what it left. */
export function backwards(changes: readonly SetChange[]): SetChange[] {
  return changes.map(({ before, after, ...set }) => ({ ...set, before: after, after: before }));
}

/** A record as a line of a zone file. */
export function recordLine({ name, ttlSeconds, type, data }: WantedRecord): string {
  return `${name}. ${String(ttlSeconds)} ${type} ${data}`;
}

/** One publication or its undoing, as the journal has it. */
export interface Publication {
  at: string;
  act: 'publish' | 'undo' | 'address';
  zones: Array<{ zone: string; changes: SetChange[] }>;
}

/** What publications so far have left, by name. */
export function publishedSets(past: readonly Publication[]): SetChange[] {
  const left = new Map<string, SetChange>();
  for (const change of past.flatMap(({ zones }) => zones.flatMap(({ changes }) => changes))) {
    left.set(`${change.name} ${change.type}`, change);
  }
  return [...left.values()].filter(({ after }) => after.length > 0);
}

/** The publication that an undo would take back: the last one that was not taken back. */
export function lastPublication(past: readonly Publication[]): Publication | null {
  const open: Publication[] = [];
  for (const one of past) {
    // A timer's change of address is nothing that a person would take back.
    if (one.act === 'publish') open.push(one);
    if (one.act === 'undo') open.pop();
  }
  return open[open.length - 1] ?? null;
}
