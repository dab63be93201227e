import type { Plan } from '../../plan/plan.ts';
import { usualMethods } from '../../verdict/steps/before-road.ts';
import { longestCredentials } from '../../front-limits.ts';
import { abnormal, noFile } from '../pattern.ts';
import { deviceMaps } from './devices.ts';
import { proxyingMaps } from './proxying.ts';
import { sanityMaps } from './serving.ts';
import { visitorMaps } from './visitor.ts';
import { block, comment, pattern, quote } from './quote.ts';

/**
 * What the files of roads refer to, once for all. Targets are compared as they came ($request_uri), never as nginx understood them
 * ($uri): only so does a prefix mean the same on every proxy.
 */
export function sharedMaps(plan: Plan): string[] {
  const { roads } = plan;
  return [
    ...sanityMaps(),
    ...proxyingMaps(),
    ...visitorMaps(plan),
    ...deviceMaps(plan),
    comment('What `rate` counts: an IPv4 address, or the /64 of an IPv6 address, as bytes.'),
    ...map('$binary_remote_addr', 'counted', [
      'default $binary_remote_addr;',
      `${pattern('~^(?s)\\x00{10}\\xff\\xff(.{4})$')} $1;`,
      `${pattern('~^(?s)(.{8}).{8}$')} $1;`,
    ]),
    comment('The password of the gate does not reach the service. Other kinds of Authorization do.'),
    ...map('$http_authorization', 'not_basic', ['default $http_authorization;', `${pattern('~*^basic(?: |$)')} "";`]),
    comment('Passwords are checked only up to a sensible length (RFC 7617 sets no limit).'),
    ...map('$http_authorization', 'sound_password', [
      'default yes;',
      `${pattern(`~*^basic +[A-Za-z0-9+/]{1,${String(longestCredentials)}}={0,2} *$`)} yes;`,
      `${pattern('~*^basic(?: |$)')} "";`,
    ]),
    comment('Methods allowed by default (RFC 9110 §10.2.1).'),
    ...map('$status', 'allow', ['default "";', `405 ${quote(usualMethods.join(', '))};`]),
    comment('A path that is not in normal form matches no prefix.'),
    ...map('$request_uri', 'normal', ['default yes;', `${pattern(`~^[^?]*(?:${abnormal})`)} "";`]),
    comment('Names that no file may have: dotfiles except /.well-known/, encoded slashes, control characters.'),
    ...map('$request_uri', 'no_file', ['default "";', ...noFile('[^?]').map((one) => `${pattern(`~*${one}`)} yes;`)]),
    ...map('$uri', 'file', ['default $uri;', `${pattern('~/$')} "\${uri}index.html";`]),
    ...map('$uri', 'bare', ['default $uri;', `${pattern('~/$')} /dev/null/none;`]),
    ...map('$request_uri', 'path', ['default "";', `${pattern('~^([^?]*)')} $1;`]),
    ...map('$request_uri', 'query', ['default "";', `${pattern('~^[^?]*(\\?.*)$')} $1;`]),
    comment('Requests for an ACME challenge (RFC 8555 §8.3).'),
    ...map('"$request_method $request_uri"', 'token', [
      'default /dev/null/none;',
      `${pattern('~^(?:GET|HEAD) (/\\.well-known/acme-challenge/[A-Za-z0-9_-]+)$')} $1;`,
    ]),
    comment('Of several lines the first. Newer versions join them with commas.'),
    ...map('$http_origin', 'origin', ['default $http_origin;', `${pattern('~^([^,]*),')} $1;`]),
    comment('A preflight of a browser for another origin (Fetch standard, CORS protocol).'),
    ...map('$http_origin', 'has_origin', ['default o;', '"" "";']),
    ...map('$http_access_control_request_method', 'asks', ['default m;', '"" "";']),
    ...map('"$request_method $mile_marker_has_origin$mile_marker_asks"', 'preflight', [
      'default "";',
      '"OPTIONS om" 1;',
    ]),
    comment('Protective headers, unless the service sends its own.'),
    ...defaultsOf(roads).flatMap(([name, value]) =>
      block(`map $upstream_http_${underscored(name)} ${defaultVariable(name, value)}`, [
        'default "";',
        `"" ${quote(value)};`,
      ]),
    ),
  ];
}

function map(source: string, name: string, lines: readonly string[]): string[] {
  return block(`map ${source} $mile_marker_${name}`, lines);
}

/** Every pair of name and value that some road wants, in one order. */
function defaultsOf(roads: Plan['roads']): Array<[string, string]> {
  const pairs = new Map(roads.flatMap(({ rules }) => rules.defaults).map((pair) => [pair.join('\n'), pair]));
  return [...pairs.entries()].sort(([a], [b]) => (a < b ? -1 : 1)).map(([, pair]) => pair);
}

/** The variable that holds a default where the service says nothing. Made of its value: a file of one road must not change with others. */
export function defaultVariable(name: string, value: string): string {
  const checksum = [...value].reduce((sum, letter) => (sum * 31 + letter.charCodeAt(0)) % 99_991, 7);
  return `$mm_default_${underscored(name)}_${String(checksum)}`;
}

function underscored(name: string): string {
  return name.toLowerCase().replace(/-/g, '_');
}
