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

/** A whole configuration, for an httpd that runs in a container of its own. */
export const wholeFile = 'whole.conf';

export const httpdRenderer: Renderer = {
  entry,
  includeLine: ({ current }) => ({
    line: `Include ${quote(`${current}/${entry}`)}`,
    where: 'in your httpd configuration; on Debian in a file of /etc/apache2/conf-enabled',
  }),
  rawLine: null,
  render: (plan, { current }) => {
    const paths = new Map(plan.roads.map((road) => [road.name, `roads/${roadFileName(plan, road)}.conf`]));
    return [
      { path: entry, content: frontFile(plan, current, paths) },
      { path: listenFile, content: [`${ownHeader}: listeners.`, ...listenLines(plan), ''].join('\n') },
      ...servingFiles(plan, current),
      ...toldFiles(plan),
      ...hopFiles(plan, current),
      ...typesFiles(),
      ...answerFiles(plan),
      // In a container of its own there is no configuration to include them from.
      ...(plan.front.container === null ? [] : [{ path: wholeFile, content: inContainer(current) }]),
      ...plan.roads.map((road) => ({ path: paths.get(road.name) ?? '', content: roadFile(plan, road, current) })),
    ];
  },
  essence: (_, rendered) => rendered,
  renderMark: (plan, mark) => ({ path: 'mark.conf', content: markFile(plan, mark) }),
  // `Include` takes patterns, and mod_rewrite has no escape for quotes.
  unusablePath: (path) => /[*?[\]"'\\%$\u0000-\u001f\u007f]/.exec(path)?.[0] ?? null,
};

/** Only /tmp can be written to there, and what it has to say goes to the container's log. */
function inContainer(current: string): string {
  const whole = standalone({
    ...{ current, runFolder: '/tmp', modules: '/usr/local/apache2/modules', user: 'www-data' },
    errorLog: '/proc/self/fd/2',
  });
  return `${ownHeader}: the whole configuration of an httpd in a container of its own.\n${whole}`;
}

/**
 * A whole configuration round the written files, for an httpd of one's own that needs no root.
 *
 * @param modules folder of its modules @param user whom it serves as when root starts it; null for who starts it
 */
export function standalone({
  current,
  runFolder,
  modules,
  user,
  errorLog = `${runFolder}/error.log`,
}: Standalone): string {
  return [
    `ServerRoot ${quote(runFolder)}`,
    'ServerName localhost',
    `DefaultRuntimeDir ${quote(runFolder)}`,
    `PidFile ${quote(`${runFolder}/httpd.pid`)}`,
    `ErrorLog ${quote(errorLog)}`,
    'LogLevel warn',
    ...[...builtInModules, ...usedModules].flatMap((name) => [
      `<IfModule !${name}_module>`,
      `    LoadModule ${name}_module ${quote(`${modules}/mod_${name}.so`)}`,
      '</IfModule>',
    ]),
    // Packages give the user a group of its name; without a group httpd keeps that of root.
    ...(user === null ? [] : [`User ${user}`, `Group ${user}`]),
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
  errorLog?: string;
}

/** What some packages have in the program itself. */
const builtInModules = ['unixd', 'log_config'] as const;

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
