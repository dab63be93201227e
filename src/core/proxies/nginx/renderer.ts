import { asksFor } from '../../gates/check.ts';
import { withPort } from '../../networks/address.ts';
import type { Plan } from '../../plan/plan.ts';
import type { Placement, Renderer, WrittenFile } from '../renderer.ts';
import { askingFile, askingText } from './asking.ts';
import { frontFile, roadPath } from './front.ts';
import { scoped } from './ids.ts';
import { block, comment, ownHeader, quote } from './quote.ts';
import { portFiles, portsInclude } from './ports.ts';
import { proxyingFile, proxyingText, toldFile, toldText } from './proxying.ts';
import { crowdsIn, layoutFor } from './crowds.ts';
import { crowdFile, onwardFile, roadFile } from './road.ts';
import { servingFile, servingText } from './serving.ts';

export const nginxRenderer: Renderer = {
  entry: 'front.conf',
  includeLine: ({ current }) => ({
    line: `include ${quote(`${current}/front.conf`)};`,
    where: 'inside http { } of nginx.conf',
  }),
  rawLine: ({ current }) => ({
    line: portsInclude(current, 'top'),
    where: 'at the top of nginx.conf, outside any { }',
  }),
  render: (plan, placement) => nginxFiles(plan, placement),
  essence: (_, rendered) => rendered,
  renderMark: (plan, mark) => ({
    path: 'mark.conf',
    content: [
      `${ownHeader} (map ${plan.identity}).`,
      comment('Answers with the edition that this nginx runs. A successful reload is no proof.'),
      ...block('server', [
        `listen ${withPort(plan.front.mark.address, plan.front.mark.port)};`,
        'server_name _;',
        'server_tokens off;',
        'default_type text/plain;',
        ...block('location = /mark', [`return 200 ${quote(mark)};`]),
        ...block('location /', ['return 404;']),
      ]),
      '',
    ].join('\n'),
  }),
  // `include` takes patterns, `ssl_certificate` takes variables, and neither can be told not to.
  unusablePath: (path) => /[$*?[\]\u0000-\u001f\u007f]/.exec(path)?.[0] ?? null,
};

/** @param layout by default the one for so many roads; the verdicts are the same in each @param least so many roads make a crowd */
export function nginxFiles(
  plan: Plan,
  placement: Pick<Placement, 'current' | 'version'>,
  layout = layoutFor(plan.roads),
  least = 2,
): WrittenFile[] {
  const { current } = placement;
  const own = layout === 'pages' ? pages(plan, placement) : crowdFiles(plan, placement, least);
  const files = [
    {
      path: 'front.conf',
      content: frontFile(
        plan,
        placement,
        own.map(({ path }) => path),
      ),
    },
    { path: servingFile, content: servingText(plan) },
    { path: proxyingFile, content: proxyingText(plan) },
    { path: toldFile, content: toldText(plan) },
    ...(plan.roads.some(({ gate }) => asksFor(gate, 'asks')) ? [{ path: askingFile, content: askingText(plan) }] : []),
    ...portFiles(plan, current),
    ...own,
    // In a container of its own there is no configuration to include them from.
    ...(plan.front.container === null ? [] : [{ path: wholeFile, content: inContainer(current) }]),
  ];
  const id = plan.identity;
  return files.map(({ path, content }) => ({ path, content: scoped(content, id) }));
}

function pages(plan: Plan, placement: Pick<Placement, 'current' | 'version'>): WrittenFile[] {
  return plan.roads.map((road) => ({
    path: roadPath(plan, road),
    content: roadFile(plan, road, placement, 'pages'),
  }));
}

/** A large map: roads that are alike share a file, and all of them their plain HTTP. */
function crowdFiles(plan: Plan, placement: Pick<Placement, 'current' | 'version'>, least: number): WrittenFile[] {
  const { crowds, alone } = crowdsIn(plan.roads, least);
  return [
    { path: 'onward.conf', content: onwardFile(plan, placement.current) },
    ...crowds.map((crowd) => ({
      path: `crowds/${crowd.road.name.slice(1)}.conf`,
      content: crowdFile(plan, crowd, placement),
    })),
    ...alone.map((road) => ({ path: roadPath(plan, road), content: roadFile(plan, road, placement, 'crowds') })),
  ];
}

/** A whole configuration, for an nginx that runs in a container of its own. */
export const wholeFile = 'whole.conf';

/** Only /tmp can be written to there, and what it has to say goes to the container's log. */
function inContainer(current: string): string {
  return `${ownHeader}: the whole configuration of an nginx in a container of its own.\n${standalone({ current, runFolder: '/tmp', errorLog: '/dev/stderr' })}`;
}

/**
 * A whole nginx configuration round the written files, for an nginx of one's own that needs no root: the demo and the
 * tests run it.
 *
 * @param runFolder absolute path of a folder that nginx may write to
 * @param user whom the workers run as when root starts it; null for what nginx was built with
 */
export function standalone({
  current,
  runFolder,
  errorLog = `${runFolder}/error.log`,
  user = null,
}: Standalone): string {
  const temporary = ['client_body', 'proxy', 'fastcgi', 'uwsgi', 'scgi'];
  return [
    'worker_processes 1;',
    'pcre_jit on;',
    ...(user === null ? [] : [`user ${user};`]),
    `pid ${quote(`${runFolder}/nginx.pid`)};`,
    `error_log ${quote(errorLog)} warn;`,
    // Where it is a package of its own.
    'include /etc/nginx/modules-enabled/*-mod-stream.conf;',
    ...block('events', ['worker_connections 1024;']),
    portsInclude(current, 'top'),
    ...block('http', [
      'access_log off;',
      ...temporary.map((name) => `${name}_temp_path ${quote(`${runFolder}/${name}`)};`),
      `include ${quote(`${current}/front.conf`)};`,
    ]),
    '',
  ].join('\n');
}

interface Standalone {
  current: string;
  runFolder: string;
  errorLog?: string;
  user?: string | null;
}
