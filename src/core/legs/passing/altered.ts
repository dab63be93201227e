import { withPort } from '../../networks/address.ts';
import type { PlannedPart, PlannedRoad } from '../../plan/plan.ts';
import type { Upstream } from '../../plan/upstream.ts';

/**
 * What something between the visitor and the service makes of a request.
 *
 * @property sent the Host that the service gets
 * @property asked the target that was asked for @property got the one that the service gets
 */
export type Altered =
  | { kind: 'host'; sent: string }
  | { kind: 'path'; asked: string; got: string }
  | { kind: 'query'; asked: string; got: string };

/** Ends every target below a first page that is asked for. */
const deepEnd = 'mile-marker-probe/deep';

/** Where no prefix decides, with what some decode on the way; below a prefix only what is in normal form lies. */
const escapes = '%20%2B';

/** A target of a part below its first page. */
export function deepTarget({ prefix }: PlannedPart): string {
  return `${prefix.replace(/\/$/, '')}/${deepEnd}${prefix === '/' ? escapes : ''}?kept=b`;
}

/** The path of a deep question as a page repeats it; null when it does not. */
export function echoOf(body: string): Echo | null {
  const path = /\/+(?:[\w.~%-]+\/+)*mile-marker-probe(?:\/(?:[\w.~%+-]| \+)*)*/.exec(body)?.[0] ?? null;
  return path === null ? null : { path, hasQuery: body.includes('kept=b') };
}

/** @property hasQuery the page repeats the query as well */
export interface Echo {
  path: string;
  hasQuery: boolean;
}

/** How the echoes of the front and of the service differ. */
export function alteredByEcho(part: PlannedPart, front: Echo | null, direct: Echo | null): Altered | null {
  const [asked = ''] = deepTarget(part).split('?');
  if (front === null || direct === null || plainly(direct.path) !== plainly(asked)) return null;
  if (direct.hasQuery && !front.hasQuery && plainly(front.path) === plainly(asked))
    return { kind: 'query', asked: deepTarget(part), got: front.path };
  return front.path === direct.path ? null : { kind: 'path', asked, got: front.path };
}

/** Whether a path was changed in its escapes alone: most services mean the same by both. */
export function isOnlyEscapes(altered: Altered): boolean {
  return altered.kind === 'path' && plainly(altered.asked) === plainly(altered.got);
}

/** Some services repeat what they made of a path. */
function plainly(path: string): string {
  try {
    return decodeURIComponent(path);
  } catch {
    return path;
  }
}

interface AlteredInput {
  road: PlannedRoad;
  part: PlannedPart;
  upstream: Upstream;
  /** Where this machine reaches the service. */
  at: { host: string; port: number };
  /** What was asked for. */
  target: string;
  /** The Host that the service should get. */
  host: string;
}

/** The usual ways in which fronts made by hand alter a request, the likeliest first: each can be asked directly. */
export function alterations({ road, part, upstream, at, target, host }: AlteredInput): Altered[] {
  const hosts = [
    withPort(at.host, at.port),
    withPort(upstream.host, upstream.port),
    `localhost:${String(upstream.port)}`,
    upstream.host,
    road.name,
  ];
  const [path = '/', query] = target.split('?');
  const search = query === undefined ? '' : `?${query}`;
  const paths = [...cuts(part, path), ...additions(road, part, upstream, path)].map((one) => `${one}${search}`);
  return [
    ...distinct(hosts, host).map((sent): Altered => ({ kind: 'host', sent })),
    ...distinct(paths, target).map((got): Altered => ({ kind: 'path', asked: target, got })),
  ];
}

function cuts({ prefix }: PlannedPart, path: string): string[] {
  const rest = path.slice(prefix.length).replace(/^\//, '');
  return prefix === '/' ? ['/'] : [`/${rest}`, '/'];
}

function additions({ name }: PlannedRoad, { prefix }: PlannedPart, { service }: Upstream, path: string): string[] {
  const label = name.split('.')[0] ?? '';
  const before = [label, service ?? '', prefix.replace(/^\/|\/$/g, '')].filter((one) => one !== '');
  return [`/${path}`, ...before.map((one) => `/${one}${path}`)];
}

function distinct(values: readonly string[], but: string): string[] {
  return [...new Set(values)].filter((one) => one !== but);
}
