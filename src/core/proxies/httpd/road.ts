import { asksFor } from '../../gates/check.ts';
import { indexed } from '../../indexed.ts';
import type { Plan, PlannedLeads, PlannedPart, PlannedRoad } from '../../plan/plan.ts';
import type { Upstream } from '../../plan/upstream.ts';
import { leadsWords } from '../leads-words.ts';
import { escapePattern } from '../pattern.ts';
import { shownPattern } from '../shown-pattern.ts';
import { answerLines, preflightLines } from './answer-lines.ts';
import { pageLine, toNothing } from './answers.ts';
import { challengeLines, mayBeProven } from './challenges.ts';
import { folderAnswers, folderRules, folderSections } from './folder.ts';
import { isOnward, nameLines, oneLabelLines, onwardLines, pairLines } from './front.ts';
import { below, exceptionLines, gateLines } from './gate-lines.ts';
import { deviceLines } from './devices.ts';
import { hopHeaders, hopOf, hopOrigin } from './hops.ts';
import { placesOf } from './listening.ts';
import { authorityFormat, authorityLines, authorityValue, tellingLines } from './passing.ts';
import {
  comment,
  escapeSubstitution,
  ownHeader,
  quote,
  quoteRewrite,
  rewrite,
  section,
  type Conditions,
} from './quote.ts';
import { includeLine } from './serving.ts';
import { originOf, workerLines } from './workers.ts';

type Listener = 'http' | 'https';

/**
 * The file of one road. What mod_rewrite answers in a server comes before the gate, and what it answers in `<Location>` after it: so refusals stand in the
 * server, and so does the choice of where a request goes, which is gone to after the gate alone.
 */
export function roadFile(plan: Plan, road: PlannedRoad, current: string): string {
  return [
    `${ownHeader} (map ${plan.identity}) for the road ${road.name}.`,
    ...leadsWords(road).map(comment),
    '',
    ...plainServer(plan, road, current),
    ...section('VirtualHost', placesOf(plan, 'https'), [
      ...nameLines(road.name),
      includeLine(current, 'serving'),
      includeLine(current, 'tls'),
      ...pairLines(indexed(plan.certificates, 'id').get(road.certificate) ?? { certificateFile: '', keyFile: '' }),
      ...deviceLines(road),
      ...wayLines(plan, road, current, 'https'),
    ]),
    '',
  ].join('\n');
}

function plainServer(plan: Plan, road: PlannedRoad, current: string): string[] {
  if (isOnward(road)) return [];
  const lines = road.rules.plain
    ? [includeLine(current, 'serving'), ...wayLines(plan, road, current, 'http')]
    : [...logLines(road), ...onwardLines(plan, current, mayBeProven(plan, road))];
  return section('VirtualHost', placesOf(plan, 'http'), [...nameLines(road.name), ...lines]);
}

/** From the verdict's sanity step on, in its order. */
function wayLines(plan: Plan, road: PlannedRoad, current: string, listener: Listener): string[] {
  const before = [
    ...logLines(road),
    ...answerLines(road, listener),
    includeLine(current, 'sanity'),
    ...oneLabelLines(plan, road.name),
    ...(listener === 'http' ? (mayBeProven(plan, road) ? challengeLines(plan) : []) : shownLines(plan, road)),
  ];
  if (road.paused)
    return [...before, comment('Paused on the map.'), ...pageLine(plan, 'paused'), ...rewrite([], '-', 'R=503,L')];
  return [
    ...before,
    ...bodyLines(road),
    ...methodLines(road),
    ...preflightLines(road),
    ...exceptionLines(road),
    ...leadLines(plan, road, current, listener),
    ...section('Location', '"/"', [
      ...(asksFor(road.gate, 'networks') || asksFor(road.gate, 'devices') ? pageLine(plan, 'refused') : []),
      ...gateLines(plan, road),
      ...afterGate(plan, road, listener),
    ]),
  ];
}

function logLines({ rules: { log } }: PlannedRoad): string[] {
  if (log === null) return [];
  return [log === false ? 'CustomLog /dev/null mile-marker' : `CustomLog ${quote(log)} mile-marker`];
}

/** The certificate of this connection must cover the name. */
function shownLines(plan: Plan, road: PlannedRoad): string[] {
  const names = shownPattern(plan, indexed(plan.certificates, 'id').get(road.certificate));
  return [
    comment('The certificate of this connection must cover the name.'),
    ...rewrite([['%{SSL:SSL_TLS_SNI}', `!^(?:${names})\\.?$`, 'NC']], '-', 'R=421,L'),
  ];
}

/** RFC 9110 §15.5.14, by the length that is announced; a body that does not say its length is asked for it where it would go on (§15.5.12). */
function bodyLines({ rules: { bodyLimitBytes } }: PlannedRoad): string[] {
  if (bodyLimitBytes === null) return [];
  return [`RewriteCond expr "%{HTTP:Content-Length} -gt ${String(bodyLimitBytes)}" [NV]`, 'RewriteRule ^ - [R=413,L]'];
}

function methodLines({ rules: { methods } }: PlannedRoad): string[] {
  if (methods === null) return [];
  return rewrite([['%{REQUEST_METHOD}', `!^(?:${methods.map(escapePattern).join('|')})$`]], '-', 'R=405,L');
}

/** Where the parts of a road lead; the longest prefix first. */
function leadLines(plan: Plan, road: PlannedRoad, current: string, listener: Listener): string[] {
  const { parts } = road;
  const isOnly = parts.length === 1;
  const chosen = isOnly
    ? []
    : parts.flatMap(({ prefix }, index) =>
        rewrite(
          [['%{ENV:mm_part}', '^$'], ...(prefix === '/' ? [] : below(prefix))],
          '-',
          `E=mm_part:${String(index)},E=mm_part${String(index)}:1`,
        ),
      );
  const isDialled = parts.some(({ leads }) => leads.kind === 'service' && dialledAt(plan, leads.upstream) !== null);
  const when = (index: number): Conditions => (isOnly ? [] : [['%{ENV:mm_part}', `=${String(index)}`]]);
  return [
    ...chosen,
    ...(!isDialled
      ? plan.pages.down === undefined
        ? []
        : ['ErrorDocument 502 /.mile-marker/502']
      : [
          ...(road.rules.bodyLimitBytes === null
            ? []
            : parts.flatMap(({ leads }, index) =>
                leads.kind === 'service' ? unannouncedLines(when(index), current) : [],
              )),
          ...authorityLines(plan, road, listener),
          ...tellingLines(plan, road, listener, current),
          ...ownLines(plan, road, listener),
          ...dialLines(plan, road),
          comment('The answer when a service cannot be reached, for any reason.'),
          ...[500, 503].map((status) => `ErrorDocument ${String(status)} /.mile-marker/502`),
          'ErrorDocument 502 /.mile-marker/again',
          comment('Requests that may be sent twice, and those that get a connection of their own.'),
          ...rewrite([['%{THE_REQUEST}', '^GET ']], '-', 'E=mm_twice:1'),
          ...rewrite([['%{THE_REQUEST}', '!^(?:GET|HEAD|OPTIONS) ']], '-', 'E=proxy-initial-not-pooled:1'),
        ]),
    ...parts.flatMap((part, index) => leadRules(plan, part, current, when(index))),
    ...parts.flatMap(({ leads }) => (leads.kind === 'folder' ? folderSections(leads.path, current) : [])),
  ];
}

/** A body that does not say its length cannot be counted as it grows, and is asked for it after the gate (RFC 9110 §15.5.12). */
function unannouncedLines(when: Conditions, current: string): string[] {
  const isBare: Conditions = [
    ['%{SERVER_PROTOCOL}', '=HTTP/2.0'],
    ['%{REQUEST_METHOD}', '^(?:POST|PUT|PATCH)$'],
    ['%{HTTP:Content-Length}', '^$'],
  ];
  return [[['%{HTTP:Transfer-Encoding}', '.']] as const, isBare].flatMap((conditions) =>
    toNothing(current, [...when, ...conditions], ',E=mm_bare:1'),
  );
}

/** What a service is told beside what all of the road are: a Host of its own, and by which hop it is gone to. */
function ownLines(plan: Plan, road: PlannedRoad, listener: Listener): string[] {
  return road.parts.flatMap(({ leads }, index) => {
    if (leads.kind !== 'service' || leads.upstream === null) return [];
    const { sayHost, verifyAs } = leads.upstream;
    const when = road.parts.length === 1 ? '' : ` env=mm_part${String(index)}`;
    const hop = hopOf(plan, leads.upstream);
    if (hop === null) return sayHost === null ? [] : [`RequestHeader set Host ${quote(sayHost)}${when}`];
    const said = sayHost === null ? authorityValue(plan, road, listener) : quote(sayHost);
    return [
      `RequestHeader set Host ${quote(verifyAs ?? '')}${when}`,
      `RequestHeader set ${hopHeaders.host} ${said}${when}`,
      `RequestHeader set ${hopHeaders.id} ${hop.id}${when}`,
    ];
  });
}

/** Where a service is dialled; null when this machine lacks what a safe connection needs, or httpd cannot prove what the map asks to be proven. */
function dialledAt(plan: Plan, upstream: Upstream | null): string | null {
  if (upstream === null) return null;
  if (upstream.scheme === 'http' || upstream.trust.kind === 'none') return originOf(upstream);
  return hopOf(plan, upstream) === null ? null : hopOrigin(plan);
}

function dialLines(plan: Plan, { parts, rules }: PlannedRoad): string[] {
  const byOrigin = new Map<string, Upstream>();
  for (const { leads } of parts) {
    const upstream = leads.kind === 'service' ? leads.upstream : null;
    const origin = dialledAt(plan, upstream);
    if (origin !== null && upstream !== null) byOrigin.set(origin, upstream);
  }
  return [
    ...([...byOrigin.keys()].some((origin) => origin.startsWith('https:')) ? ['SSLProxyEngine On'] : []),
    ...[...byOrigin].flatMap(([origin, upstream]) =>
      section('Proxy', quote(origin), [
        ...workerLines(plan, upstream, rules.silenceSeconds),
        ...(origin.startsWith('https:') ? believing : []),
      ]),
    ),
  ];
}

const believing = [
  comment('`upstream-insecure`: the certificate of the service is not checked.'),
  ...['SSLProxyVerify none', 'SSLProxyCheckPeerName off', 'SSLProxyCheckPeerCN off', 'SSLProxyCheckPeerExpire off'],
];

/** What a request becomes before the gate; it is carried out after it. */
function leadRules(plan: Plan, { leads }: PlannedPart, current: string, when: Conditions): string[] {
  switch (leads.kind) {
    case 'folder':
      return folderRules(leads.path, current, when);
    case 'service': {
      const origin = dialledAt(plan, leads.upstream);
      if (origin === null) return toNothing(current, when);
      return rewrite(when, quoteRewrite(`${escapeSubstitution(origin)}%{ENV:mm_path}`), 'P,NE,L');
    }
    case 'redirect':
      return toNothing(current, when);
  }
}

/** Answers after the gate: where a road redirects to, or shows a folder, or leads nowhere. */
function afterGate(plan: Plan, road: PlannedRoad, listener: Listener): string[] {
  const authority = authorityFormat(plan, road, listener);
  const lines = road.parts.flatMap(({ leads }, index) => {
    const when: Conditions = road.parts.length === 1 ? [] : [['%{ENV:mm_part}', `=${String(index)}`]];
    if (leads.kind === 'redirect') return redirectRules(leads, `${listener}://${authority}`, when);
    if (leads.kind === 'folder') return folderAnswers(authority, listener, when);
    return dialledAt(plan, leads.upstream) === null ? rewrite(when, '-', 'R=502,L') : [];
  });
  const bare = road.rules.bodyLimitBytes === null ? [] : rewrite([['%{ENV:mm_bare}', '=1']], '-', 'R=411,L');
  if (lines.length + bare.length === 0) return [];
  return [
    // mod_rewrite works in no place that follows no links.
    'Options FollowSymLinks',
    'RewriteEngine On',
    ...rewrite([['%{ENV:mm_own}', '=1']], '-', 'END'),
    ...bare,
    ...lines,
  ];
}

/**
 * The rest of the target byte for byte, with one slash where the two meet; httpd puts the query behind it by itself, and before a path what it takes for
 * its own name.
 *
 * @param origin of the road, as a format of mod_rewrite
 */
function redirectRules(
  { status, url, below: prefix }: Extract<PlannedLeads, { kind: 'redirect' }>,
  origin: string,
  when: Conditions,
): string[] {
  const bare = escapePattern((prefix ?? '').replace(/\/$/, ''));
  const rest = `^${bare}${url.endsWith('/') ? '/?' : ''}(.*)$`;
  const to = `${url.startsWith('/') ? origin : ''}${escapeSubstitution(url)}%1`;
  return rewrite([...when, ['%{ENV:mm_path}', rest]], quoteRewrite(to), `R=${String(status)},NE,L`);
}
