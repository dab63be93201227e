import type { Plan } from '../../plan/plan.ts';
import {
  idleSeconds,
  longestHeadBytes,
  longestLineBytes,
  slowBodySeconds,
  slowHeadSeconds,
} from '../../front-limits.ts';
import { portNumber } from '../../networks/port-number.ts';
import { soundHost } from '../pattern.ts';
import { block, comment, ownHeader, pattern, quote } from './quote.ts';

/** Beside the entry file: settings of every server. */
export const servingFile = 'serving.conf';

export function servingLine(current: string): string {
  return `include ${quote(`${current}/${servingFile}`)};`;
}

export function servingText({ limits }: Plan): string {
  return [
    `${ownHeader}: settings of every server.`,
    'server_tokens off;',
    comment('Time limits for visitors who send slowly. Pausing in the middle of an answer, as players do, is fine.'),
    `client_header_timeout ${String(slowHeadSeconds)}s;`,
    `client_body_timeout ${String(slowBodySeconds)}s;`,
    `send_timeout ${String(limits.liveSeconds)}s;`,
    `keepalive_timeout ${String(idleSeconds)}s;`,
    comment("The longest request head. 494 is nginx's own code for a longer one (RFC 6585 §5)."),
    `large_client_header_buffers ${String(longestHeadBytes / longestLineBytes)} ${String(longestLineBytes / 1024)}k;`,
    'error_page 494 =431 @too_long;',
    ...block('location @too_long', ['return 431;']),
    comment('Leaves relative redirects relative; nginx would add its inside port.'),
    'absolute_redirect off;',
    comment('Gates test for a file that never exists; this saves the disk lookup.'),
    'open_file_cache max=8;',
    'open_file_cache_errors on;',
    comment('Malformed requests that nginx itself would pass on.'),
    ...block('if ($mile_marker_malformed)', ['return 400;']),
    '',
  ].join('\n');
}

/**
 * The same refusals as in the verdict's sanity step, where nginx would pass a request on: `#` and bytes outside printable
 * ASCII in the target, and a Host whose port is none. nginx itself refuses broken percent-encoding, paths that climb above
 * the root, missing and doubled Host, and a body with two lengths. In maps, once for all servers: an `if` with a pattern is
 * compiled anew in each.
 */
export function sanityMaps(): string[] {
  return [
    comment('Malformed requests that nginx itself would pass on.'),
    ...block('map $request $mile_marker_odd', [
      'default "";',
      `${pattern('~[^\\x20-\\x22\\x24-\\x7e]')} 1;`,
      comment('Targets of another scheme; nginx would use their path.'),
      `${pattern('~^[^ ]+ (?![/*]|[Hh][Tt][Tt][Pp][Ss]?://)')} 1;`,
      `${pattern(`~^[^ ]+ [Hh][Tt][Tt][Pp][Ss]?://(?:\\[[^\\]]*\\]|[^/?#:[ ]*):(?!${portNumber}?(?:[/?# ]|$))`)} 1;`,
    ]),
    // nginx tries no pattern on nothing.
    ...block('map $http_host $mile_marker_malformed', [
      'default 1;',
      '"" $mile_marker_odd;',
      `${pattern(`~^${soundHost}$`)} $mile_marker_odd;`,
    ]),
  ];
}
