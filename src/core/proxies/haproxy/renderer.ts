import { askedSeconds } from '../../gates/asks.ts';
import type { Plan } from '../../plan/plan.ts';
import { manyRoads, roadFileName } from '../road-file.ts';
import type { Placement, Renderer, WrittenFile } from '../renderer.ts';
import { digestOf } from '../digest.ts';
import { pageFiles } from '../page-files.ts';
import { askingFiles } from './asking.ts';
import { frontFile, frontPath, markFile } from './front.ts';
import { certificateList, nameMaps, shownMaps } from './names.ts';
import { carriedPorts, portsFile } from './ports.ts';
import { peopleFile } from './people.ts';
import { crowdsFile, crowdsPath, type Crowds } from './crowds.ts';
import { crowdedRoadFile, roadFile } from './road.ts';

/** haproxy reads every `.cfg` of a folder in the order of their names (management guide, `-f`). */
export const haproxyRenderer: Renderer = {
  entry: frontPath,
  includeLine: ({ current }) => ({
    line: `EXTRAOPTS="-f ${current}"`,
    where: 'in /etc/default/haproxy, beside what stands there',
    // It knows these words from its start on.
    apply: 'systemctl restart haproxy',
  }),
  rawLine: null,
  render: (plan, placement) => haproxyFiles(plan, placement),
  essence: (_, rendered) => rendered,
  renderMark: (plan, mark) => ({ path: '02-mark.cfg', content: markFile(plan, mark) }),
  // Words of lists and maps end at a blank, and arguments of converters at a bracket or a comma.
  unusablePath: (path) => /[^A-Za-z0-9/._+@:~-]/.exec(path)?.[0] ?? null,
};

/** @param isLarge roads share files, and what they have in common; by default when there are many. The verdicts are the same */
export function haproxyFiles(plan: Plan, placement: Placement, isLarge = plan.roads.length > manyRoads): WrittenFile[] {
  const { current } = placement;
  return [
    { path: frontPath, content: frontFile(plan, current) },
    ...peopleFile(plan, placement),
    ...nameMaps(plan),
    ...shownMaps(plan),
    certificateList(plan),
    ...(carriedPorts(plan).length === 0 ? [] : [{ path: 'ports.cfg', content: portsFile(plan) }]),
    ...pageFiles(plan),
    ...askingFiles(plan, askedSeconds),
    ...(isLarge ? sharedFiles(plan, current) : pages(plan, current)),
  ];
}

function pages(plan: Plan, current: string): WrittenFile[] {
  return plan.roads.map((road) => ({
    path: `road-${roadFileName(plan, road)}.cfg`,
    content: roadFile(plan, road, current),
  }));
}

/**
 * Files that roads share by their names, 256 of them, so that a road more or less changes one. haproxy notes the names of all its files in one list that it
 * copies for each of them, and took half a minute for ten thousand.
 */
function sharedFiles(plan: Plan, current: string): WrittenFile[] {
  const shared = new Map<string, string[]>();
  const crowds: Crowds = new Map();
  for (const road of plan.roads) {
    const path = `roads-${digestOf(road.name).slice(-2)}.cfg`;
    const pagesThere = shared.get(path);
    const page = crowdedRoadFile(plan, road, current, crowds);
    if (pagesThere === undefined) shared.set(path, [page]);
    else pagesThere.push(page);
  }
  return [
    { path: crowdsPath, content: crowdsFile(crowds) },
    ...[...shared].map(([path, there]) => ({ path, content: there.join('\n') })),
  ];
}

/**
 * A whole configuration beside the written files, for a haproxy of one's own that needs no root.
 *
 * @param user whom it runs as when root starts it; null for who starts it
 */
export function standalone({ runFolder, user }: { runFolder: string; user: string | null }): string {
  return [
    'global',
    ...(user === null ? [] : [`    user ${user}`]),
    `    pidfile ${runFolder}/haproxy.pid`,
    '    maxconn 2000',
    '',
  ].join('\n');
}
