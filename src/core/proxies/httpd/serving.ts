import type { Plan } from '../../plan/plan.ts';
import { usualMethods } from '../../verdict/steps/before-road.ts';
import {
  idleSeconds,
  longestLineBytes,
  mostHeaderLines,
  modernSuites,
  slowBodySeconds,
  slowHeadSeconds,
} from '../hardening.ts';
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
    { path: paths.serving, content: [`${ownHeader}: what every server keeps.`, ...servingLines(plan), ''].join('\n') },
    { path: paths.tls, content: [`${ownHeader}: what every server with TLS keeps.`, ...tlsLines, ''].join('\n') },
    {
      path: paths.sanity,
      content: [`${ownHeader}: nothing malformed goes further.`, ...ownAnswerLines(current), ...sanityLines, ''].join(
        '\n',
      ),
    },
  ];
}

function servingLines(plan: Plan): string[] {
  return [
    ...pathLines(plan),
    ...edgeLines(plan),
    'AddDefaultCharset Off',
    `Header always set Allow ${quote(usualMethods.join(', '))} ${onRefusal}`,
    comment('A path that is not in normal form is below no prefix.'),
    ...rewrite([['%{ENV:mm_path}', `!${abnormal}`]], '-', 'E=mm_normal:1'),
    ...visitorLines(plan),
    comment(
      'A page of another origin that asks (Fetch standard, CORS protocol). Of several lines httpd makes one, with commas.',
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
    comment('Before HTTP/1.0 a request had neither headers nor a version.'),
    'HttpProtocolOptions Strict Require1.0',
    comment('Targets stay as they come.'),
    'AllowEncodedSlashes NoDecode',
    'MergeSlashes Off',
    comment(
      'Visitors who are slow on purpose are not waited for; one who pauses in the middle of an answer, as players do, is.',
    ),
    `RequestReadTimeout header=${String(slowHeadSeconds)} body=${String(slowBodySeconds)},MinRate=1`,
    `Timeout ${String(plan.limits.liveSeconds)}`,
    'KeepAlive On',
    'MaxKeepAliveRequests 0',
    `KeepAliveTimeout ${String(idleSeconds)}`,
    `LimitRequestLine ${String(longestLineBytes - 2)}`,
    `LimitRequestFieldSize ${String(longestLineBytes - 2)}`,
    `LimitRequestFields ${String(mostHeaderLines)}`,
    comment('Bytes pass as they come, whatever other modules are set to do for all servers.'),
    'SetEnv no-gzip 1',
    'SetEnv no-brotli 1',
    comment('Uploads go on as they come; httpd would wait for the first sixteen kilobytes.'),
    'SetEnv proxy-prefetch-nonblocking 1',
    'SetEnv mm_expr expr',
    'SetEnv mm_expr_capital Expr',
    'RewriteEngine On',
    comment('The path as it came, also out of a target in absolute form (RFC 9112 §3.2.2).'),
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
    comment('An answer of its own.'),
    'ErrorDocument 405 /.mile-marker/405',
    comment('A kept connection that its service closes under a request: once more, where that is safe.'),
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

/** 3. The verdict's step of this name, as far as httpd does not refuse by itself: missing, doubled and broken Host, broken percent-encoding, what climbs in plain sight. */
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
