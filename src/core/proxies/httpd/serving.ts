import type { Plan } from '../../plan/plan.ts';
import { usualMethods } from '../../verdict/steps/before-road.ts';
import {
  idleSeconds,
  longestLineBytes,
  mostHeaderLines,
  modernSuites,
  slowBodySeconds,
  slowHeadSeconds,
} from '../../front-limits.ts';
import { abnormal, soundHost } from '../pattern.ts';
import type { WrittenFile } from '../renderer.ts';
import { answersPath, onRefusal } from './answers.ts';
import { comment, escapeSubstitution, ownHeader, quote, quoteRewrite, rewrite, type Conditions } from './quote.ts';
import { edgeLines, visitorLines } from './visitor.ts';

/** Beside the entry file: what every server keeps; what those with TLS do; and what ends in an answer at once. */
const paths = { serving: 'serving.conf', tls: 'tls.conf', sanity: 'sanity.conf' };

export function includeLine(current: string, part: keyof typeof paths): string {
  return `Include ${quote(`${current}/${paths[part]}`)}`;
}

export function servingFiles(plan: Plan, current: string): WrittenFile[] {
  return [
    { path: paths.serving, content: [`${ownHeader}: settings of every server.`, ...servingLines(plan), ''].join('\n') },
    { path: paths.tls, content: [`${ownHeader}: settings of every server with TLS.`, ...tlsLines, ''].join('\n') },
    {
      path: paths.sanity,
      content: [`${ownHeader}: refuses malformed requests.`, ...ownAnswerLines(current), ...sanityLines, ''].join('\n'),
    },
  ];
}

function servingLines(plan: Plan): string[] {
  return [
    ...pathLines(plan),
    ...edgeLines(plan),
    'AddDefaultCharset Off',
    `Header always set Allow ${quote(usualMethods.join(', '))} ${onRefusal}`,
    comment('A path that is not in normal form matches no prefix.'),
    ...rewrite([['%{ENV:mm_path}', `!${abnormal}`]], '-', 'E=mm_normal:1'),
    ...visitorLines(plan),
    comment(
      'Requests from pages of other origins (Fetch standard, CORS protocol). httpd joins several lines with commas.',
    ),
    ...rewrite(
      [
        ['%{REQUEST_METHOD}', '=OPTIONS'],
        ['%{HTTP:Origin}', '^[^,]+$'],
        ['%{HTTP:Access-Control-Request-Method}', '^[^,]+$'],
      ],
      '-',
      'E=mm_preflight:1',
    ),
  ];
}

/** What keeps targets and bodies as they come, whoever asks. */
export function pathLines(plan: Plan): string[] {
  return [
    'UseCanonicalName Off',
    'ServerSignature Off',
    'TraceEnable off',
    comment('Refuses requests older than HTTP/1.0, which have no headers.'),
    'HttpProtocolOptions Strict Require1.0',
    comment('Targets stay unchanged.'),
    'AllowEncodedSlashes NoDecode',
    'MergeSlashes Off',
    comment('Time limits for visitors who send slowly. Pausing in the middle of an answer, as players do, is fine.'),
    `RequestReadTimeout header=${String(slowHeadSeconds)} body=${String(slowBodySeconds)},MinRate=1`,
    `Timeout ${String(plan.limits.liveSeconds)}`,
    'KeepAlive On',
    'MaxKeepAliveRequests 0',
    `KeepAliveTimeout ${String(idleSeconds)}`,
    `LimitRequestLine ${String(longestLineBytes - 2)}`,
    `LimitRequestFieldSize ${String(longestLineBytes - 2)}`,
    `LimitRequestFields ${String(mostHeaderLines)}`,
    comment('Switches off filters that other modules may set for all servers.'),
    'SetEnv no-gzip 1',
    'SetEnv no-brotli 1',
    comment('Passes uploads on at once; httpd would wait for the first sixteen kilobytes.'),
    'SetEnv proxy-prefetch-nonblocking 1',
    'SetEnv mm_expr expr',
    'SetEnv mm_expr_capital Expr',
    'RewriteEngine On',
    comment('The path as requested, also out of an absolute target (RFC 9112 §3.2.2).'),
    ...rewrite([['%{THE_REQUEST}', '^[^ ]+ (?:[Hh][Tt][Tt][Pp][Ss]?://[^/? ]*)?(/[^? ]*)?']], '-', 'E=mm_path:%1'),
    ...rewrite([['%{ENV:mm_path}', '^$']], '-', 'E=mm_path:/'),
  ];
}

/**
 * RFC 8996: TLS 1.0 and 1.1 are not to be used. RFC 9325 §4.2: of TLS 1.2 only suites with forward secrecy and authenticated encryption; the client chooses
 * among them. No tickets: httpd keeps one key for them as long as it runs.
 */
const tlsLines: readonly string[] = [
  'SSLEngine on',
  'SSLProtocol -all +TLSv1.2 +TLSv1.3',
  `SSLCipherSuite ${modernSuites.join(':')}`,
  'SSLHonorCipherOrder off',
  'SSLSessionTickets off',
  'Protocols h2 http/1.1',
  'H2Push off',
  'H2Upgrade off',
];

/** Answers that httpd cannot make well by itself are files that say their own head (mod_asis); it asks itself for them, and nobody else can. */
function ownAnswerLines(current: string): string[] {
  return [
    comment('An answer of the front itself.'),
    'ErrorDocument 405 /.mile-marker/405',
    comment('Repeats a request once if the service closes a kept connection under it, and if that is safe.'),
    ...rewrite(
      [
        ['%{ENV:REDIRECT_STATUS}', '=502'],
        ['%{ENV:REDIRECT_mm_twice}', '=1'],
      ],
      '-',
      'E=mm_own:1,E=mm_again:1',
    ),
    'RewriteCond %{ENV:mm_again} !=1 [NV]',
    'RewriteCond %{ENV:REDIRECT_STATUS} =502 [NV]',
    `RewriteRule ^ ${quoteRewrite(`${escapeSubstitution(`${current}/${answersPath}`)}/502.asis`)} [L,E=mm_own:1,H=send-as-is]`,
    'RewriteCond %{ENV:mm_again} !=1 [NV]',
    'RewriteCond %{ENV:REDIRECT_STATUS} . [NV]',
    `RewriteRule ^/\\.mile-marker/([0-9a-z]+)$ ${quoteRewrite(`${escapeSubstitution(`${current}/${answersPath}`)}/$1.asis`)} [L,E=mm_own:1,H=send-as-is]`,
  ];
}

/** A path climbs so often in a target with encoded slashes, and no more. */
const mostClimbs = 16;
const slash = '(?:/|%2[fF])';
const dot = '(?:\\.|%2[eE])';
const end = '(?=/|%2[fF]|$)';
const segment = `(?!${dot}{1,2}${end})(?:(?!%2[fF])[^/])+`;
/** Each `..` takes back a segment before it. */
const below = `^(?<b>(?:${slash}${dot}?${end}|${slash}${segment}(?&b)${slash}${dot}${dot}${end})*+)(?:${slash}${segment}(?&b))*+$`;

/** The verdict's step of this name, as far as httpd does not refuse by itself: missing, doubled and broken Host, broken percent-encoding, what climbs in plain sight. */
const sanityLines: readonly string[] = [
  // Before HTTP/1.1 a target in absolute form needs none.
  ...refuse([
    ['%{HTTP_HOST}', `!^${soundHost}$`],
    ['%{HTTP_HOST} %{THE_REQUEST}', '!^ [A-Z_-]+ [Hh][Tt][Tt][Pp]'],
  ]),
  ...rewrite([['%{HTTP:Transfer-Encoding}', '!^(?:chunked)?$', 'NC']], '-', 'R=501,L'),
  ...unlessPlain([
    ...refuse([['%{THE_REQUEST}', '[^\\x20-\\x22\\x24-\\x7e]']]),
    ...refuse([['%{THE_REQUEST}', '!^[A-Z_-]+ (?:/|[Hh][Tt][Tt][Pp][Ss]?://)']]),
    ...rewrite([['%{REQUEST_METHOD}', '^(?:CONNECT|TRACE)$']], '-', 'R=405,L'),
    ...refuse([['%{ENV:mm_path}', '%(?![0-9A-Fa-f]{2})|%00']]),
    ...refuse([
      ['%{ENV:mm_path}', '%2f|//', 'NC'],
      ['%{ENV:mm_path}', `^(?:(?:(?!${dot}{2}).)*+${dot}{2}){${String(mostClimbs + 1)}}`],
    ]),
    ...refuse([
      ['%{ENV:mm_path}', '%2f|//', 'NC'],
      ['%{ENV:mm_path}', `${dot}{2}`],
      ['%{ENV:mm_path}', `!${below}`],
    ]),
  ]),
];

/** Nearly every request has a usual method, and a path without anything that is encoded or climbs: there the rest need not be asked, which saves a twentieth. */
function unlessPlain(lines: readonly string[]): string[] {
  const plain = `^(?:${usualMethods.join('|')}) /(?:[A-Za-z0-9_~/-]|\\.(?!\\.))*(?:\\?[\\x21\\x22\\x24-\\x7e]*)? `;
  const rules = lines.filter((line) => line.startsWith('RewriteRule ')).length;
  return [...rewrite([['%{THE_REQUEST}', plain]], '-', `S=${String(rules)}`), ...lines];
}

function refuse(conditions: Conditions): string[] {
  return rewrite(conditions, '-', 'R=400,L');
}
