import type { Finding } from '../findings/finding.ts';
import { excerptOf } from './excerpt.ts';
import type { MapRoad, SiteMap } from './site-map.ts';

interface MapText {
  file: string;
  text: string;
}

/** `map` is null exactly when a finding of severity error says why. */
export interface MapResult {
  map: SiteMap | null;
  findings: Finding[];
}

/**
 * Reads a map that was read before and in which some roads changed: those alone, with all that is not roads. The same as reading the whole; null where only
 * that tells.
 *
 * @param read reads a whole map; lines are told as `lineOf` says
 */
export function readAgain(
  before: { input: MapText; result: MapResult },
  { file, text }: MapText,
  read: (input: MapText, lineOf: (line: number) => number) => MapResult,
): MapResult | null {
  const old = before.result.map;
  if (old === null || before.input.file !== file) return null;
  const excerpt = excerptOf(before.input.text, text);
  const seen = excerpt === null ? null : read({ file, text: excerpt.text }, excerpt.lineOf).map;
  // What is wrong is told by the whole.
  if (excerpt === null || seen === null) return null;
  const known = new Map(old.roads.map((road) => [road.key, road]));
  const fresh = new Map(seen.roads.map((road) => [road.key, road]));
  // What was not touched is what it was, or the change reaches further than its lines.
  if (!excerpt.beside.every((key) => isAlike(known.get(key), fresh.get(key)))) return null;
  const kept = (keys: readonly string[]): MapRoad[] => keys.flatMap((key) => known.get(key) ?? []);
  const below = kept(excerpt.below);
  const roads = [
    ...kept(excerpt.above),
    ...seen.roads,
    ...(excerpt.moved === 0 ? below : below.map((road) => further(road, excerpt.moved))),
  ];
  const isEach = [(road: MapRoad) => road.name, (road: MapRoad) => road.key].every(
    (of) => new Set(roads.map(of)).size === roads.length,
  );
  const isWhole = roads.length === excerpt.above.length + seen.roads.length + excerpt.below.length;
  return isEach && isWhole ? { map: { ...seen, roads }, findings: [] } : null;
}

/** Whether two roads are the same but for their places. */
export function isAlike(one: MapRoad | undefined, other: MapRoad | undefined): boolean {
  if (one === undefined || other === undefined) return false;
  // What was carried over has the very same.
  return one.written === other.written || withoutPlaces(one) === withoutPlaces(other);
}

function further(road: MapRoad, by: number): MapRoad {
  const moved = <T extends Pick<MapRoad, 'where'>>(part: T): T => ({
    ...part,
    where: { ...part.where, line: part.where.line + by },
  });
  const lines = Object.fromEntries(Object.entries(road.lines).map(([key, line]) => [key, line + by]));
  return { ...moved(road), parts: road.parts.map(moved), lines };
}

/** As text, without where it stands: lines move when others do. */
export function withoutPlaces(value: unknown): string {
  return JSON.stringify(value, (key, part: unknown) => (key === 'lines' || isPlace(part) ? undefined : part));
}

function isPlace(value: unknown): boolean {
  return typeof value === 'object' && value !== null && 'file' in value && 'line' in value && 'column' in value;
}
