import { isWildcard, withoutStar } from '../../names/wildcard.ts';
import type { Plan, PlannedRoad } from '../../plan/plan.ts';
import type { WrittenFile } from '../renderer.ts';
import { indexed } from '../../indexed.ts';
import { listWords } from './devices.ts';
import { ownHeader } from './quote.ts';

type Listener = 'http' | 'https';

/** The section of a road for those who come over one of the two listeners. Names of sections are letters, digits and `-_.:` (configuration manual §4). */
export function backendOf({ name }: Pick<PlannedRoad, 'name'>, listener: Listener): string {
  return `${withoutStar(name)}:${listener}`;
}

/** Names in comparable form to sections: of all roads, and of those that are also served on plain HTTP. */
export function nameMaps({ roads }: Plan): WrittenFile[] {
  const lines = (chosen: readonly PlannedRoad[], of: (road: PlannedRoad) => string): string =>
    [`${ownHeader}: names and their roads.`, ...chosen.map((road) => `${bare(road.name)} ${of(road)}`), ''].join('\n');
  const exact = roads.filter(({ name }) => !isWildcard(name));
  const wild = roads.filter(({ name }) => isWildcard(name));
  const all = (road: PlannedRoad): string => backendOf(road, 'https');
  const plain = (road: PlannedRoad): string => (road.rules.plain ? backendOf(road, 'http') : 'onward');
  return [
    { path: 'names.map', content: lines(exact, all) },
    { path: 'names-plain.map', content: lines(exact, plain) },
    { path: 'names-below.map', content: lines(wild, all) },
    { path: 'names-below-plain.map', content: lines(wild, plain) },
  ];
}

/** The name that a wildcard covers the names below. */
function bare(name: string): string {
  return isWildcard(name) ? name.slice(2) : name;
}

/** Ids of certificates by the name that they are shown for, to tell whether the one that was shown is the road's. */
export function shownMaps(plan: Plan): WrittenFile[] {
  const shown = [...shownFor(plan)];
  const lines = (chosen: typeof shown): string[] => chosen.map(([name, id]) => `${bare(name)} ${id}`);
  const exact = lines(shown.filter(([name]) => !isWildcard(name)));
  const below = lines(shown.filter(([name]) => isWildcard(name)));
  return [
    { path: 'shown.map', content: [`${ownHeader}: names and the certificate of each.`, ...exact, ''].join('\n') },
    {
      path: 'shown-below.map',
      content: [`${ownHeader}: certificates for all other names under these.`, ...below, ''].join('\n'),
    },
  ];
}

/** Which certificate is shown for which name: roads say so; strangers who may be answered get the first with a wildcard that covers them. */
function shownFor({ roads, certificates, front }: Plan): Map<string, string> {
  const shown = new Map(roads.map(({ name, certificate }) => [name, certificate]));
  const others = front.unknown.act === 'refuse' ? [] : certificates.filter(({ names }) => names.some(isWildcard));
  for (const [name, id] of others.flatMap(({ names, id: own }) => names.map((one) => [one, own] as const)))
    if (!shown.has(name)) shown.set(name, id);
  return shown;
}

/**
 * The list of certificates, each with the names that it is shown for (configuration manual §5.1, `crt-list`). The key lies beside the certificate, under its
 * name with `.key` behind it.
 */
export function certificateList(plan: Plan): WrittenFile {
  const roads = indexed(plan.roads, 'name');
  // Names of one certificate that ask alike for devices share a line.
  const byId = new Map(plan.certificates.map(({ id }) => [id, new Map<string, string[]>()]));
  for (const [name, id] of shownFor(plan)) {
    const road = roads.get(name);
    const words = ['alpn h2,http/1.1', road === undefined ? '' : listWords(road)].join(' ').trim();
    const alike = byId.get(id);
    // A server name with a dot at its end is the same name.
    const names = [name, ...(isWildcard(name) ? [] : [`${name}.`])];
    alike?.set(words, [...(alike.get(words) ?? []), ...names]);
  }
  const lines = plan.certificates.flatMap(({ id, certificateFile }) =>
    [...(byId.get(id) ?? [])].flatMap(([words, names]) =>
      inLines(names).map((line) => `${certificateFile} [${words}] ${line}`),
    ),
  );
  return {
    path: 'certificates.list',
    content: [`${ownHeader}: certificates and their names.`, ...lines, ''].join('\n'),
  };
}

/** Names in lines of at most 32 KB: haproxy reads no more than 64 of one, path and all. */
function inLines(names: readonly string[]): string[] {
  const lines: string[] = [];
  for (const name of names) {
    const last = lines[lines.length - 1];
    if (last === undefined || last.length + name.length > 32_000) lines.push(name);
    else lines[lines.length - 1] = `${last} ${name}`;
  }
  return lines;
}
