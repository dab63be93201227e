import type { Renderer } from '../renderer.ts';
import { roadFileName } from '../road-file.ts';
import { answerFiles } from './answers.ts';
import { typesFiles } from './folder.ts';
import { frontFile, markFile } from './front.ts';
import { hopFiles } from './hops.ts';
import { listenLines } from './listening.ts';
import { toldFiles } from './passing.ts';
import { ownHeader, quote } from './quote.ts';
import { roadFile } from './road.ts';
import { servingFiles } from './serving.ts';

const entry = 'front.conf';
const listenFile = 'listen.conf';

export const httpdRenderer: Renderer = {
  entry,
  includeLine: ({ current }) => ({
    line: `Include ${quote(`${current}/${entry}`)}`,
    where: 'in your httpd configuration; on Debian in a file of /etc/apache2/conf-enabled',
  }),
  render: (plan, { current }) => {
    const paths = new Map(plan.roads.map((road) => [road.name, `roads/${roadFileName(plan, road)}.conf`]));
    return [
      { path: entry, content: frontFile(plan, current, paths) },
      { path: listenFile, content: [`${ownHeader}: where it listens.`, ...listenLines(plan), ''].join('\n') },
      ...servingFiles(plan, current),
      ...toldFiles(plan),
      ...hopFiles(plan, current),
      ...typesFiles(),
      ...answerFiles(),
      ...plan.roads.map((road) => ({ path: paths.get(road.name) ?? '', content: roadFile(plan, road, current) })),
    ];
  },
  essence: (_, rendered) => rendered,
  renderMark: (plan, mark) => ({ path: 'mark.conf', content: markFile(plan, mark) }),
  // `Include` takes patterns, and mod_rewrite has no escape for quotes.
  unusablePath: (path) => /[*?[\]"'\\%$\u0000-\u001f\u007f]/.exec(path)?.[0] ?? null,
};

/**
 * A whole configuration round the written files, for an httpd of one's own that needs no root.
 *
 * @param modules folder of its modules @param user whom it serves as when root starts it; null for who starts it
 */
export function standalone({ current, runFolder, modules, user }: Standalone): string {
  return [
    `ServerRoot ${quote(runFolder)}`,
    'ServerName localhost',
    // Packages give the user a group of its name; without a group httpd keeps that of root.
    ...(user === null ? [] : [`User ${user}`, `Group ${user}`]),
    `DefaultRuntimeDir ${quote(runFolder)}`,
    `PidFile ${quote(`${runFolder}/httpd.pid`)}`,
    `ErrorLog ${quote(`${runFolder}/error.log`)}`,
    'LogLevel warn',
    ...usedModules.flatMap((name) => [
      `<IfModule !${name}_module>`,
      `    LoadModule ${name}_module ${quote(`${modules}/mod_${name}.so`)}`,
      '</IfModule>',
    ]),
    'TypesConfig /dev/null',
    'SSLSessionCache none',
    'ServerTokens Prod',
    'ServerLimit 4',
    'ThreadsPerChild 64',
    'MaxRequestWorkers 256',
    '<Directory />',
    '    AllowOverride None',
    '    Options FollowSymLinks',
    '    Require all denied',
    '</Directory>',
    `Include ${quote(`${current}/${listenFile}`)}`,
    `Include ${quote(`${current}/${entry}`)}`,
    '',
  ].join('\n');
}

interface Standalone {
  current: string;
  runFolder: string;
  modules: string;
  user: string | null;
}

/** All that the written files need. */
export const usedModules = [
  ...['mpm_event', 'authz_core', 'authz_host', 'authz_user', 'authn_core', 'authn_file', 'auth_basic'],
  ...[
    'asis',
    'dir',
    'env',
    'headers',
    'http2',
    'mime',
    'proxy',
    'proxy_http',
    'remoteip',
    'reqtimeout',
    'rewrite',
    'ssl',
  ],
] as const;
