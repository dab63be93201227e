import { isWildcard } from '../../names/wildcard.ts';
import { withPort } from '../../networks/address.ts';
import type { Plan, PlannedCertificate, PlannedRoad } from '../../plan/plan.ts';
import { oneLabel } from '../pattern.ts';
import { answersPath, pageLine } from './answers.ts';
import { challengeFolder, challengeLines, mayBeProven } from './challenges.ts';
import { hopFile } from './hops.ts';
import { placesOf } from './listening.ts';
import { comment, dollarLine, escapeSubstitution, ownHeader, quote, quoteRewrite, rewrite, section } from './quote.ts';
import { includeLine } from './serving.ts';

/** The entry file: what all roads share, what strangers get, and an include for each road. @param roads their files, by name */
export function frontFile(plan: Plan, current: string, roads: ReadonlyMap<string, string>): string {
  const include = (path: string): string => `Include ${quote(`${current}/${path}`)}`;
  const exact = plan.roads.filter(({ name }) => !isWildcard(name));
  return [
    `${ownHeader} (map ${plan.identity}) from your map. Do not edit it: \`mile-marker write\` replaces it.`,
    comment('Include this in your httpd configuration, before other servers at the same addresses.'),
    '',
    dollarLine,
    'LogFormat "%h %l %u %t \\"%r\\" %>s %B \\"%{Referer}i\\" \\"%{User-Agent}i\\"" mile-marker',
    ...folderOf(current.replace(/\/[^/]+$/, ''), ['Options FollowSymLinks']),
    ...folderOf(`${current}/${answersPath}`, ['Require all granted']),
    ...challengeFolder(plan),
    '',
    comment('Names that are not on the map. The first server at an address answers all other names.'),
    ...section('VirtualHost', placesOf(plan, 'http'), [
      'ServerName nobody.invalid',
      includeLine(current, 'serving'),
      includeLine(current, 'sanity'),
      ...strangerLines(plan),
    ]),
    ...refusing(plan, current, 'ServerName nobody.invalid'),
    ...onwardServer(plan, current),
    include('mark.conf'),
    include(hopFile),
    ...exact.map(({ name }) => include(roads.get(name) ?? '')),
    ...wildLines(plan, current, (name) => include(roads.get(name) ?? '')),
    '',
  ].join('\n');
}

function folderOf(path: string, lines: readonly string[]): string[] {
  return section('Directory', quote(path), ['AllowOverride None', ...lines]);
}

/**
 * Ends a handshake before any certificate is shown (RFC 8446 §4.4.2.2): no key signs by DSA, and nothing else may be used here. httpd chooses the server by the
 * name in the handshake before that. It wants a certificate all the same.
 */
function refusing(plan: Plan, current: string, ...names: string[]): string[] {
  const [any] = plan.certificates;
  if (any === undefined) return [];
  return section('VirtualHost', placesOf(plan, 'https'), [
    ...names,
    includeLine(current, 'serving'),
    includeLine(current, 'tls'),
    ...pairLines(any),
    'SSLOpenSSLConfCmd SignatureAlgorithms DSA+SHA256',
    includeLine(current, 'sanity'),
    ...strangerLines(plan),
  ]);
}

export function pairLines({
  certificateFile,
  keyFile,
}: Pick<PlannedCertificate, 'certificateFile' | 'keyFile'>): string[] {
  return [`SSLCertificateFile ${quote(certificateFile)}`, `SSLCertificateKeyFile ${quote(keyFile)}`];
}

/** Names that are not on the map. httpd cannot end a connection without an answer. */
function strangerLines(plan: Plan): string[] {
  const { unknown } = plan.front;
  switch (unknown.act) {
    case 'refuse':
      return rewrite([], '-', 'R=421,L');
    case 'not-found':
      return [...pageLine(plan, 'unknown'), ...rewrite([], '-', 'R=404,L')];
    case 'redirect':
      return rewrite([], quoteRewrite(escapeSubstitution(unknown.url)), 'R=307,QSD,NE,L');
  }
}

/** Whether plain HTTP of a road is like that of all others: everything goes to HTTPS. */
export function isOnward({ name, rules }: PlannedRoad): boolean {
  return !rules.plain && rules.log === null && !isWildcard(name);
}

/** One server for them all. */
function onwardServer(plan: Plan, current: string): string[] {
  const roads = plan.roads.filter(isOnward);
  const [first, ...others] = roads;
  if (first === undefined) return [];
  return section('VirtualHost', placesOf(plan, 'http'), [
    `ServerName ${first.name}`,
    ...others.map(({ name }) => `ServerAlias ${name}`),
    ...onwardLines(
      plan,
      current,
      roads.some((road) => mayBeProven(plan, road)),
    ),
  ]);
}

/** The target byte for byte. */
export function onwardLines(plan: Plan, current: string, proven: boolean): string[] {
  const { https } = plan.front.ports;
  const port = https === 443 ? '' : `:${String(https)}`;
  return [
    includeLine(current, 'serving'),
    includeLine(current, 'sanity'),
    ...(proven ? challengeLines(plan) : []),
    comment('Redirects everything to HTTPS. The target stays byte for byte.'),
    ...rewrite([], `https://%{SERVER_NAME}${port}%{ENV:mm_path}`, 'R=308,NE,L'),
  ];
}

/** Wildcards come last, since httpd takes the first name that fits; and each only for one label, which `*` of httpd does not keep to. */
function wildLines(plan: Plan, current: string, include: (name: string) => string): string[] {
  const roads = new Map(plan.roads.map((road) => [road.name, road]));
  const strangers =
    plan.front.unknown.act === 'refuse' ? [] : plan.certificates.filter(({ names }) => names.some(isWildcard));
  const servers = new Map<string, string[]>();
  for (const { name } of plan.roads.filter((road) => isWildcard(road.name))) servers.set(name, [include(name)]);
  for (const certificate of strangers)
    for (const name of certificate.names)
      if (!roads.has(name) && !servers.has(name)) servers.set(name, strangerServer(plan, current, name, certificate));
  const depth = (name: string): number => (isWildcard(name) ? name.split('.').length : Infinity);
  return [...servers]
    .sort(([a], [b]) => depth(b) - depth(a))
    .flatMap(([name, lines]) => (isWildcard(name) ? [...deeper(plan, current, name), ...lines] : lines));
}

/** All that lies more than one label below. */
function deeper(plan: Plan, current: string, name: string): string[] {
  const names = [`ServerName nobody${name.slice(1)}.invalid`, `ServerAlias *.${name}`];
  return [
    comment(`Deeper than ${name}.`),
    ...section('VirtualHost', placesOf(plan, 'http'), [
      ...names,
      includeLine(current, 'serving'),
      includeLine(current, 'sanity'),
      ...strangerLines(plan),
    ]),
    ...refusing(plan, current, ...names),
  ];
}

/** Strangers whose names a certificate with a wildcard covers can be answered. */
function strangerServer(plan: Plan, current: string, name: string, certificate: PlannedCertificate): string[] {
  return section('VirtualHost', placesOf(plan, 'https'), [
    ...nameLines(name),
    includeLine(current, 'serving'),
    includeLine(current, 'tls'),
    ...pairLines(certificate),
    includeLine(current, 'sanity'),
    ...strangerLines(plan),
  ]);
}

/** A server name with a dot at its end is the same name. */
export function nameLines(name: string): string[] {
  if (isWildcard(name))
    return [`ServerName nobody${name.slice(1)}.invalid`, `ServerAlias ${name}`, `ServerAlias ${name}.`];
  return [`ServerName ${name}`, `ServerAlias ${name}.`];
}

/** What `*` of httpd takes for one label and is none. */
export function oneLabelLines(plan: Plan, name: string): string[] {
  if (!isWildcard(name)) return [];
  const bare = `^${oneLabel}${name.slice(1).replace(/[.]/g, '\\.')}$`;
  const [conditions, { act }] = [[['%{SERVER_NAME}', `!${bare}`]] as const, plan.front.unknown];
  return rewrite(conditions, '-', act === 'refuse' ? 'R=421,L' : 'R=404,L');
}

/** The mark is a listener of its own on the machine itself. Its text stands in the configuration: a file would be read anew without a reload. */
export function markFile({ front: { mark: at } }: Plan, mark: string): string {
  const place = withPort(at.address, at.port);
  return [
    `${ownHeader}.`,
    comment('Answers with the edition that this httpd runs. A successful reload is no proof.'),
    `Listen ${place}`,
    ...section('VirtualHost', place, [
      'ServerName mile-marker',
      `ErrorDocument 200 ${quote(mark)}`,
      'RewriteEngine On',
      'RewriteRule ^/mark$ - [R=200,L]',
      'RewriteRule ^ - [R=404,L]',
    ]),
    '',
  ].join('\n');
}
