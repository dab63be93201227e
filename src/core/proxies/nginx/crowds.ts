import { addressesOf } from '../../plan/parts.ts';
import { isWildcard } from '../../names/wildcard.ts';
import { withPort } from '../../networks/address.ts';
import type { PlannedPart, PlannedRoad } from '../../plan/plan.ts';
import { crowdName } from './crowd-name.ts';
import { without } from '../../without.ts';
import { digestOf } from '../digest.ts';
import { manyRoads } from '../road-file.ts';
import { variable } from './ids.ts';
import { block, comment, quote } from './quote.ts';

/**
 * Roads that nginx serves by one server, since they differ in nothing but their names and the addresses of their services: a server of its own costs nginx
 * a TLS context, some ten locations and the time to read them, thousands of times over.
 *
 * @property road one of them, with a name that stands for all
 * @property members in the order of the map
 */
export interface Crowd {
  road: PlannedRoad;
  members: readonly PlannedRoad[];
}

/** How the files are laid out. `pages`: each road has a file that reads like a page. `crowds`: what is alike is written once. */
export type Layout = 'pages' | 'crowds';

/** Up to two hundred roads a person may want to read each by itself. */
export function layoutFor({ length }: readonly PlannedRoad[]): Layout {
  return length > manyRoads ? 'crowds' : 'pages';
}

/** Roads that are alike, and those that nothing is like. @param least so many make a crowd */
export function crowdsIn(roads: readonly PlannedRoad[], least: number): { crowds: Crowd[]; alone: PlannedRoad[] } {
  const byLikeness = new Map<string, PlannedRoad[]>();
  const alone: PlannedRoad[] = [];
  for (const road of roads) {
    const key = likenessOf(road);
    const others = key === null ? undefined : byLikeness.get(key);
    if (key === null) alone.push(road);
    else if (others === undefined) byLikeness.set(key, [road]);
    else others.push(road);
  }
  const crowds: Crowd[] = [];
  for (const [key, members] of byLikeness) {
    const [first] = members;
    if (first === undefined) continue;
    if (members.length < least) alone.push(...members);
    else crowds.push({ road: asCrowd(first, crowdName(digestOf(key))), members });
  }
  return { crowds, alone };
}

/** Under the name of the crowd, which stands wherever the road's own does. */
export function asCrowd(road: PlannedRoad, name: string): PlannedRoad {
  return { ...road, name, display: name, authority: road.authority.replace(road.name, () => name) };
}

/**
 * The longest name that nginx takes into a map without `map_hash_bucket_size`, on processors with cache lines of 64 bytes. That cannot be set here: behind
 * any `map` of the administrator's own it is an error.
 */
const longestInMap = 46;

/** Equal for roads of which one server can do the work; null for a road that no other can be like. */
function likenessOf(road: PlannedRoad): string | null {
  // Each is counted for itself, and all other names have a server by a pattern.
  if (road.rules.rate !== null || isWildcard(road.name) || road.name.length > longestInMap) return null;
  const { name, authority, certificate, gate, paused, parts, rules } = road;
  const gates = gate.parts.map((part) => without(part, 'where'));
  const kept = without(rules, 'expect', 'meantSo');
  const said = JSON.stringify([certificate, paused, gate.name, gates, kept, parts.map(likenessOfPart)]);
  // An answer that names the road itself would have to be another one for each.
  return said.includes(name) ? null : `${authority.slice(name.length)} ${said}`;
}

function likenessOfPart({ prefix, leads }: PlannedPart): unknown {
  if (!isMovable(leads)) return [prefix, leads];
  return [prefix, without(leads.upstream, 'host', 'port', 'why', 'service')];
}

type ToService = Extract<PlannedPart['leads'], { kind: 'service' }>;

/** A service whose address can stand in a variable: nginx proves no name there, and looks none up. */
export function isMovable(
  leads: PlannedPart['leads'],
): leads is ToService & { upstream: NonNullable<ToService['upstream']> } {
  return (
    leads.kind === 'service' &&
    leads.upstream !== null &&
    !leads.upstream.byName &&
    leads.upstream.scheme === 'http' &&
    addressesOf(leads.upstream).length === 1
  );
}

/** The variable with the address of a service, by the name that was asked for. */
export function crowdAddress({ road }: Crowd, index: number): string {
  return `$${variable(road.name, `to${String(index)}`)}`;
}

/** Where each of them leads. A name that is none of theirs leads nowhere. */
export function crowdMaps(crowd: Crowd): string[] {
  return crowd.road.parts.flatMap(({ leads, prefix }, index) =>
    isMovable(leads)
      ? [
          ...(prefix === '/' ? [] : [comment(`Where ${prefix} leads.`)]),
          ...block(
            `map $host ${crowdAddress(crowd, index)}`,
            crowd.members.map(({ name, parts }) => `${name} ${quote(addressOf(parts[index]))};`),
          ),
        ]
      : [],
  );
}

function addressOf(part: PlannedPart | undefined): string {
  return part !== undefined && isMovable(part.leads)
    ? withPort(part.leads.upstream.host, part.leads.upstream.port)
    : '';
}
