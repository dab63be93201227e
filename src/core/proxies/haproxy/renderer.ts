import { roadFileName } from '../road-file.ts';
import type { Renderer } from '../renderer.ts';
import { frontFile, frontPath, markFile } from './front.ts';
import { certificateList, nameMaps, shownMaps } from './names.ts';
import { peopleFile } from './people.ts';
import { roadFile } from './road.ts';

/** haproxy reads every `.cfg` of a folder in the order of their names (management guide, `-f`). */
export const haproxyRenderer: Renderer = {
  entry: frontPath,
  includeLine: ({ current }) => ({
    line: `EXTRAOPTS="-f ${current}"`,
    where: 'in /etc/default/haproxy, beside what stands there',
    // It knows these words from its start on.
    apply: 'systemctl restart haproxy',
  }),
  render: (plan, placement) => [
    { path: frontPath, content: frontFile(plan, placement.current) },
    ...peopleFile(plan, placement),
    ...nameMaps(plan),
    ...shownMaps(plan),
    certificateList(plan),
    ...plan.roads.map((road) => ({ path: `road-${roadFileName(plan, road)}.cfg`, content: roadFile(plan, road) })),
  ],
  essence: (_, rendered) => rendered,
  renderMark: (plan, mark) => ({ path: '02-mark.cfg', content: markFile(plan, mark) }),
  // Words of lists and maps end at a blank, and arguments of converters at a bracket or a comma.
  unusablePath: (path) => /[^A-Za-z0-9/._+@:~-]/.exec(path)?.[0] ?? null,
};

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
