import { checkOf, checksOf, type AsksCheck, type GatePart, type PlannedGate } from '../../gates/check.ts';
import { askedSeconds } from '../../gates/asks.ts';
import { inUrl, withPort } from '../../networks/address.ts';
import { addressesOf } from '../../plan/parts.ts';
import type { Plan, PlannedRoad } from '../../plan/plan.ts';
import { authorityOn } from '../../verdict/forwarded.ts';
import { forgeable } from '../../verdict/verdict.ts';
import { keptSeconds, longestAnswerHeadBytes } from '../../front-limits.ts';
import { headerCase } from '../header-case.ts';
import { block, comment, namedText, ownHeader, quote, quoteThen } from './quote.ts';
import { variable } from './ids.ts';
import { visitorIn } from './visitor.ts';

/** Beside the entry file: how a service is asked whether a request passes. */
export const askingFile = 'asking.conf';

/** Where the road stands whose gate asks. */
export interface Asking {
  plan: Plan;
  road: PlannedRoad;
  current: string;
  listener: 'http' | 'https';
}

/** Nothing that a visitor can ask for: nginx takes the dot out of every path before it looks for a location. */
const askPath = (index: number): string => `/./ask${String(index)}`;
const saidPath = (index: number): string => `/./said${String(index)}`;
const word = (index: number): string => `$mile_marker_word${String(index)}`;

/**
 * In the location of a part: the question, and where its refusals go. `satisfy any` and what is allowed before spare the question. All that lets nobody in goes
 * the same way, since nginx itself makes 500 of whatever is not 2xx, 401 or 403.
 */
export function askLines({ tell }: AsksCheck, index: number): string[] {
  return [
    'set $mile_marker_method $request_method;',
    `auth_request ${askPath(index)};`,
    `auth_request_set ${word(index)} "$upstream_status:$upstream_http_location";`,
    ...tell.map((name) => `auth_request_set ${toldVariable(name)} $upstream_http_${name.replaceAll('-', '_')};`),
    `error_page 401 403 500 = ${saidPath(index)};`,
  ];
}

/** Variable with what a service said under a name; empty where it was not asked. */
function toldVariable(name: string): string {
  return `$mile_marker_told_${name.replaceAll('-', '_')}`;
}

/** What the road's own service gets of it, in place of whatever a visitor says under these names. */
export function toldLines(gate: PlannedGate): string[] {
  const names = [...new Set(checksOf(gate, 'asks').flatMap(({ tell }) => tell))];
  return names.map((name) => `proxy_set_header ${headerCase(name)} ${toldVariable(name)};`);
}

/**
 * The question itself, and the same once more for a visitor who is not let in, whose answer goes to him whole: nginx keeps nothing of the first one but its status
 * and its headers. What is not meant for him is 503.
 */
export function askLocations(of: Asking, parts: readonly GatePart[]): string[] {
  return parts.flatMap(({ checks }, index) =>
    checks.flatMap((check) =>
      check.kind !== 'asks'
        ? []
        : [
            ...block(`location = ${askPath(index)}`, ['internal;', ...questionLines(of, check, index)]),
            ...block(`location = ${saidPath(index)}`, [
              'internal;',
              // nginx keeps in mind that a network was not enough, and would answer so here.
              ...['satisfy any;', 'allow all;'],
              ...block(`if (${word(index)} !~ "^(?:30[12378]:.|401:|403:)")`, ['return 503;']),
              ...questionLines(of, check, index),
            ]),
          ],
    ),
  );
}

/** Connections to services that are asked are kept: outside the road's servers. */
export function askGroups({ name }: PlannedRoad, parts: readonly GatePart[]): string[] {
  return parts.flatMap((part, index) => {
    const upstream = checkOf(part, 'asks')?.upstream ?? null;
    if (upstream === null || upstream.byName) return [];
    return block(`upstream ${groupName(name, index)}`, [
      ...addressesOf(upstream).map(({ host, port }) => `server ${withPort(host, port)};`),
      'keepalive 32;',
      `keepalive_timeout ${String(keptSeconds)}s;`,
    ]);
  });
}

function groupName(road: string, index: number): string {
  return variable(road, `ask${String(index)}`);
}

function questionLines(
  { plan, road, current, listener }: Asking,
  { upstream, path, tell }: AsksCheck,
  index: number,
): string[] {
  if (upstream === null) return ['return 503;'];
  const { host, front } = plan;
  const at = withPort(upstream.host, upstream.port);
  const authority = namedText(authorityOn(road, listener, front.ports), road);
  return [
    `include ${quote(`${current}/${askingFile}`)};`,
    ...tell.map((name) => `proxy_set_header ${headerCase(name)} "";`),
    `proxy_set_header Host ${quote(at)};`,
    `proxy_set_header Forwarded ${quoteThen('for=', `${visitorIn(plan).node};host=\\"${authority}\\";proto=${listener}`)};`,
    `proxy_set_header X-Forwarded-Host "${authority}";`,
    `proxy_set_header X-Forwarded-Port ${String(front.ports[listener])};`,
    `proxy_set_header X-Forwarded-Proto ${listener};`,
    `proxy_set_header X-Original-URL "${listener}://${authority}$request_uri";`,
    ...(upstream.byName
      ? [
          comment('Looked up through a variable: nginx starts without the name, and follows when it moves.'),
          `resolver ${host.resolvers.map(inUrl).join(' ')} valid=${front.container === null ? '30s' : '5s'};`,
          `set $mile_marker_asked ${quote(`http://${at}${path}`)};`,
          'proxy_pass $mile_marker_asked;',
        ]
      : [`proxy_pass http://${groupName(road.name, index)}${path};`]),
  ];
}

/** Set for each road, or never passed to anybody. */
const ofRoad = ['forwarded', 'x-forwarded-host', 'x-forwarded-port', 'x-forwarded-proto', 'x-original-url'];
/** Of the visitor's own: what is about the body, which is not sent, about a copy that he holds, or about his connection. */
const notAsked = [
  ...['Connection', 'Upgrade', 'HTTP2-Settings', 'Proxy-Connection', 'Trailer', 'TE', 'Expect', 'Keep-Alive'],
  ...['Content-Length', 'Content-Type', 'Content-Encoding', 'Transfer-Encoding', 'Range', 'If-Range'],
  ...['If-Match', 'If-None-Match', 'If-Modified-Since', 'If-Unmodified-Since'],
];

export function askingText(plan: Plan): string {
  const { client } = visitorIn(plan);
  const { edge } = plan.front;
  const said: Readonly<Record<string, string>> = {
    'x-forwarded-for': client,
    'x-real-ip': client,
    'x-forwarded-method': '$mile_marker_method',
    'x-forwarded-uri': '$request_uri',
    'x-original-method': '$mile_marker_method',
  };
  const names = [...new Set([...forgeable, ...(edge === null ? [] : [edge.header])])];
  const seconds = String(askedSeconds);
  return [
    `${ownHeader}: how a service is asked whether a request passes.`,
    comment('By GET, whatever the request is, and without its body.'),
    'proxy_method GET;',
    'proxy_pass_request_body off;',
    'proxy_http_version 1.1;',
    'proxy_redirect off;',
    `proxy_buffer_size ${String(longestAnswerHeadBytes / 1024)}k;`,
    `proxy_buffers 8 ${String(longestAnswerHeadBytes / 1024)}k;`,
    comment('Silence lets nobody in, and is not waited for.'),
    `proxy_connect_timeout ${seconds}s;`,
    `proxy_send_timeout ${seconds}s;`,
    `proxy_read_timeout ${seconds}s;`,
    // A question may be put twice: on a kept connection that broke, and to another replica.
    'proxy_next_upstream error;',
    'proxy_ignore_headers X-Accel-Redirect X-Accel-Buffering X-Accel-Charset X-Accel-Limit-Rate X-Accel-Expires;',
    comment('An empty value removes a header: what visitors claim about themselves never passes.'),
    ...notAsked.map((name) => `proxy_set_header ${name} "";`),
    'proxy_set_header Cookie $http_cookie;',
    'proxy_set_header Authorization $http_authorization;',
    ...names
      .filter((name) => !ofRoad.includes(name))
      .map((name) => `proxy_set_header ${headerCase(name)} ${said[name] ?? '""'};`),
    '',
  ].join('\n');
}
