import { chown, readFile, realpath, stat } from 'node:fs/promises';
import { isDeepStrictEqual } from 'node:util';
import { findMap, shownPath } from '../../adapters/files/find-map.ts';
import { readText } from '../../adapters/files/read-text.ts';
import { writeTrouble, writeWhole } from '../../adapters/files/safe-write.ts';
import { Trouble } from '../../adapters/trouble.ts';
import { sortFindings, type Finding } from '../../core/findings/finding.ts';
import { nearest } from '../../core/findings/nearest.ts';
import {
  addRoad,
  removeRoad,
  setAt,
  setKey,
  setKeys,
  setPaused,
  typedValue,
  writtenRoad,
  type RoadKeys,
} from '../../core/map/edit.ts';
import { documentOf } from '../../core/yaml/document.ts';
import { excerptOf } from '../../core/map/excerpt.ts';
import { isAlike, withoutPlaces } from '../../core/map/read-again.ts';
import { mainLeads } from '../../core/plan/parts.ts';
import { readMap } from '../../core/map/read-map.ts';
import { roadName } from '../../core/map/road-name.ts';
import type { MapRoad, SiteMap } from '../../core/map/site-map.ts';
import type { Place } from './load.ts';

/** What a person wants of the map. `road` is a name as one types it: short, full, capitals or not. */
export type Edit =
  | { kind: 'add'; road: string; to: string | null; redirect: string | null; open: boolean; like: string | null }
  | { kind: 'set'; road: string; key: string; value: string | null }
  | { kind: 'remove' | 'pause' | 'resume'; road: string };

/** The same of several roads, or of a key that is none of a road's. `roads` are names, or patterns with `*`. */
export type WideEdit =
  | { kind: 'set-many'; roads: readonly string[]; key: string; value: string | null }
  | { kind: 'set-at'; path: readonly string[]; value: string | null };

/**
 * @property changed false when the map said so already
 * @property findings why the map, or what it would become, cannot be read; nothing was written then
 */
interface EditResult {
  shownMap: string;
  road: string;
  changed: boolean;
  findings: Finding[];
}

/**
 * Edits one road of the map in place. The edited text is read back before it is written: the one road must have changed
 * as wanted and nothing else, or nothing is written.
 *
 * @throws Trouble `road-taken`, `road-unknown`, `name-invalid`, `edit-by-hand` (exit code 2), `cannot-write`
 */
export async function editMap(mapOption: string | undefined, edit: Edit, { cwd, env }: Place): Promise<EditResult> {
  const mapFile = await findMap({ option: mapOption, cwd, env });
  const shownMap = shownPath(mapFile, cwd);
  const text = await readText({ path: mapFile, what: 'map' });
  const before = readMap({ file: shownMap, text });
  const nothing = { shownMap, road: edit.road, changed: false };
  if (before.map === null) return { ...nothing, findings: sortFindings(before.findings) };
  const target = edit.kind === 'add' ? freeName(edit.road, before.map) : roadOf(edit.road, before.map).name;
  const edited = apply(text, edit, before.map);
  if (edited === text) return { ...nothing, road: target, findings: [] };
  if (edited === null) throw byHand(edit, shownMap);
  const after = readMap({ file: shownMap, text: edited });
  if (after.map === null) return { ...nothing, road: target, findings: sortFindings(after.findings) };
  if (!onlyAsWanted({ texts: [text, edited], before: before.map, after: after.map, edit, name: target }))
    throw byHand(edit, shownMap);
  await replaceMap(mapFile, edited);
  return { shownMap, road: target, changed: true, findings: [] };
}

/** @property roads full names of those that were meant @property was what stood there; null for nothing */
interface WideResult {
  shownMap: string;
  roads: string[];
  changed: boolean;
  was: unknown;
  findings: Finding[];
}

/**
 * Sets a key of several roads, or one of the front's, the certificates', the gates' and so on. What comes of it is read back as a whole: just these keys
 * must have changed, and the map must be one that can be read, or nothing is written.
 *
 * @throws Trouble `road-unknown`, `edit-by-hand` (exit code 2), `cannot-write`
 */
export async function editWidely(
  mapOption: string | undefined,
  edit: WideEdit,
  { cwd, env }: Place,
): Promise<WideResult> {
  const mapFile = await findMap({ option: mapOption, cwd, env });
  const shownMap = shownPath(mapFile, cwd);
  const text = await readText({ path: mapFile, what: 'map' });
  const before = readMap({ file: shownMap, text });
  const nothing = { shownMap, roads: [], changed: false, was: null };
  if (before.map === null) return { ...nothing, findings: sortFindings(before.findings) };
  const meant = edit.kind === 'set-many' ? meantRoads(edit.roads, before.map) : [];
  const typed = edit.value === null ? null : typedValue(edit.value);
  const paths = edit.kind === 'set-at' ? [edit.path] : meant.map(({ key }) => ['roads', key, edit.key]);
  const [first = []] = paths;
  const common = { shownMap, roads: meant.map(({ name }) => name), was: valueAt(plainOf(text), first) ?? null };
  const edited =
    edit.kind === 'set-many'
      ? setKeys(
          text,
          meant.map(({ key }) => key),
          { name: edit.key, value: typed },
        )
      : isDeepStrictEqual(common.was, typed)
        ? text
        : setAt(text, edit.path, typed);
  if (edited === null || !isAsWanted(text, edited, paths, typed)) throw byHand({ kind: 'set', road: '' }, shownMap);
  if (edited === text) return { ...common, changed: false, findings: [] };
  const after = readMap({ file: shownMap, text: edited });
  if (after.map === null) return { ...common, changed: false, findings: sortFindings(after.findings) };
  await replaceMap(mapFile, edited);
  return { ...common, changed: true, findings: [] };
}

/** Roads by names and patterns, each once, in the order of the map. */
function meantRoads(typed: readonly string[], map: SiteMap): MapRoad[] {
  const named = typed.filter((one) => !one.includes('*')).map((one) => roadOf(one, map).name);
  const patterns = typed.filter((one) => one.includes('*')).map(patternOf);
  const found = map.roads.filter(
    ({ name, key, fromLabel, ofPort }) =>
      fromLabel === null &&
      ofPort === undefined &&
      (named.includes(name) || patterns.some((one) => one.test(key) || one.test(name))),
  );
  if (found.length > 0) return found;
  const message = `No road is called ${typed.join(', ')}.`;
  throw new Trouble({ code: 'road-unknown', message, remedy: 'See the names with: mile-marker roads', exitCode: 2 });
}

function patternOf(typed: string): RegExp {
  const parts = typed
    .toLowerCase()
    .split('*')
    .map((part) => part.replace(/[.+?^${}()|[\]\\]/g, '\\$&'));
  return new RegExp(`^${parts.join('.*')}$`);
}

function plainOf(text: string): unknown {
  return documentOf(text)?.toJS() ?? null;
}

function valueAt(from: unknown, path: readonly string[]): unknown {
  return path.reduce<unknown>(
    (at, name) => (typeof at === 'object' && at !== null ? (at as Record<string, unknown>)[name] : undefined),
    from,
  );
}

/** Whether nothing else came of an edit: the map with these keys set by hand is the map that was written. A road that is its `to` alone may be opened for it. */
function isAsWanted(before: string, after: string, paths: ReadonlyArray<readonly string[]>, value: unknown): boolean {
  const wanted = plainOf(before);
  for (const path of paths) {
    let at = wanted as Record<string, unknown>;
    for (const name of path.slice(0, -1)) {
      const below = at[name];
      const opened = typeof below === 'string' && path[0] === 'roads' ? { to: below } : below;
      at[name] = typeof opened === 'object' && opened !== null ? opened : {};
      at = at[name] as Record<string, unknown>;
    }
    const last = path[path.length - 1] ?? '';
    if (value === null) Reflect.deleteProperty(at, last);
    else at[last] = value;
  }
  return isDeepStrictEqual(opened(wanted), opened(plainOf(after)));
}

/** With the short form of roads opened, which may be written either way. */
function opened(map: unknown): unknown {
  const { roads, ...rest } = map as { roads?: Record<string, unknown> };
  const all = Object.entries(roads ?? {}).map(([key, road]) => [key, typeof road === 'string' ? { to: road } : road]);
  return { ...rest, roads: Object.fromEntries(all) };
}

function apply(text: string, edit: Edit, map: SiteMap): string | null {
  if (edit.kind === 'add') return addRoad(text, keyFor(edit.road, map), keysFor(edit, map));
  const road = roadOf(edit.road, map);
  if (edit.kind === 'remove') return removeRoad(text, road.key);
  if (edit.kind === 'set') return setOne(text, road, edit);
  const paused = edit.kind === 'pause';
  return road.paused === paused ? text : setPaused(text, road.key, paused);
}

/** The same text when the road says so already. */
function setOne(text: string, { key: road }: MapRoad, { key, value }: Extract<Edit, { kind: 'set' }>): string | null {
  const before = writtenRoad(text, road)?.[key];
  const typed = value === null ? null : typedValue(value);
  if (isDeepStrictEqual(before ?? null, typed)) return text;
  return setKey(text, road, { name: key, value: typed });
}

/** The full name, if nobody has it yet. */
function freeName(typed: string, { domains, roads }: SiteMap): string {
  const name = roadName(typed, domains);
  if (!name.ok) {
    const message = `\`${typed}\` cannot be the name of a road (${name.say}).`;
    throw new Trouble({
      code: 'name-invalid',
      message,
      remedy: 'Use letters, digits and hyphens inside, such as `nestcam`.',
      exitCode: 2,
    });
  }
  const taken = roads.find((road) => road.name === name.name.ascii && road.ofPort === undefined);
  if (taken === undefined) return name.name.ascii;
  const message = `${taken.name} is already on the map, in line ${String(taken.where.line)}.`;
  throw new Trouble({ code: 'road-taken', message, remedy: 'Choose another name, or edit that road.', exitCode: 2 });
}

function roadOf(typed: string, { domains, roads: all }: SiteMap): MapRoad {
  // The name of a raw port alone is written nowhere below `roads`.
  const roads = all.filter(({ ofPort }) => ofPort === undefined);
  const name = roadName(typed, domains);
  const found = roads.find((road) => road.key === typed || (name.ok && road.name === name.name.ascii));
  if (found !== undefined) return found;
  const near = nearest(
    typed,
    roads.flatMap(({ key, name: full }) => [key, full]),
  );
  const remedy = near === null ? 'See the names with: mile-marker roads' : `Did you mean ${near}?`;
  throw new Trouble({ code: 'road-unknown', message: `No road is called ${typed}.`, remedy, exitCode: 2 });
}

/** Short where the first domain allows it, as the map's own keys are. */
function keyFor(typed: string, { domains }: SiteMap): string {
  const bare = typed.toLowerCase().replace(/\.$/, '');
  const tail = `.${domains[0] ?? ''}`;
  return bare.endsWith(tail) ? bare.slice(0, -tail.length) : bare;
}

function keysFor({ to, redirect, open, like }: Extract<Edit, { kind: 'add' }>, map: SiteMap): RoadKeys {
  const model = like === null ? null : roadOf(like, map);
  const gates = open ? ['everyone'] : (model?.gates ?? ['home']);
  const leads: RoadKeys = redirect === null ? [['to', to ?? '']] : [['redirect', redirect]];
  const modelLeads = model === undefined || model === null ? null : mainLeads(model);
  const permanent = redirect !== null && modelLeads?.kind === 'redirect' && modelLeads.permanent;
  return [
    ...leads,
    ...(permanent ? [['permanent', true] as const] : []),
    ...(gates.join() === 'home' ? [] : [['gate', gates.length === 1 ? (gates[0] ?? '') : gates] as const]),
    ...copied(model),
  ];
}

/** What the model road says besides, but for what is its own: its notes and what must be found at its end. */
function copied(model: MapRoad | null): RoadKeys {
  return Object.entries(model?.written ?? {}).filter(
    ([key, value]) => value !== undefined && key !== 'notes' && key !== 'expect' && !key.startsWith('upstream-'),
  );
}

interface Comparison {
  /** The text before and after. */
  texts: readonly [string, string];
  before: SiteMap;
  after: SiteMap;
  edit: Edit;
  name: string;
}

/** Whether the one road changed as wanted, and nothing else. Places do not count: lines move. */
function onlyAsWanted({ texts, before, after, edit, name }: Comparison): boolean {
  const [old, fresh] = [before, after].map(({ roads }) =>
    roads.find((road) => road.name === name && road.ofPort === undefined),
  );
  if (!isRestAlike(before, after, name)) return false;
  if (edit.kind === 'add') return old === undefined && fresh !== undefined;
  if (edit.kind === 'remove') return fresh === undefined;
  if (edit.kind === 'set') return old !== undefined && fresh !== undefined && isSetAlone(texts, old.key, edit);
  return withoutPlaces({ ...old, paused: edit.kind === 'pause' }) === withoutPlaces(fresh);
}

function isRestAlike(before: SiteMap, after: SiteMap, name: string): boolean {
  const [old, fresh] = [before, after].map(({ roads }) => roads.filter((road) => road.name !== name));
  if (withoutPlaces({ ...before, roads: [] }) !== withoutPlaces({ ...after, roads: [] })) return false;
  if (old?.length !== fresh?.length) return false;
  // Most were not read again, and are the same but for their lines.
  return (old ?? []).every((road, index) => isAlike(road, fresh?.[index]));
}

function isSetAlone(
  [before, after]: readonly [string, string],
  road: string,
  { key, value }: Extract<Edit, { kind: 'set' }>,
): boolean {
  const rest = Object.fromEntries(Object.entries(writtenRoad(before, road) ?? {}).filter(([name]) => name !== key));
  const wanted = value === null ? rest : { ...rest, [key]: typedValue(value) };
  return isDeepStrictEqual(wanted, writtenRoad(excerptOf(before, after)?.text ?? after, road));
}

function byHand({ kind, road }: Pick<Edit, 'kind' | 'road'>, shownMap: string): Trouble {
  const message = `${shownMap} is written in a way that \`${kind}\` cannot edit without changing other lines.`;
  const remedy = kind === 'pause' ? `Write \`paused: true\` into the road ${road} yourself.` : 'Edit it by hand.';
  return new Trouble({ code: 'edit-by-hand', message, remedy, exitCode: 2 });
}

/** Behind a link the file it names is replaced, not the link. Owner and mode stay, also when root edits a person's map. */
async function replaceMap(mapFile: string, text: string): Promise<void> {
  try {
    const file = await realpath(mapFile);
    const { uid, gid, mode } = await stat(file);
    // The byte order mark was dropped in reading; some editors of this file may want it.
    const mark = (await readFile(file)).subarray(0, 3).toString('hex') === 'efbbbf' ? '\ufeff' : '';
    await writeWhole(file, mark + text, mode & 0o7777);
    if (process.getuid?.() === 0) await chown(file, uid, gid);
  } catch (cause) {
    throw writeTrouble(mapFile, cause);
  }
}
