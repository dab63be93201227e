import type { Plan } from '../../plan/plan.ts';
import { forgeable } from '../../verdict/verdict.ts';
import { longestAnswerHeadBytes } from '../../front-limits.ts';
import { visitorIn } from './visitor.ts';
import { headerCase } from '../header-case.ts';
import { block, comment, ownHeader, pattern, quote } from './quote.ts';

/** Beside the entry file: what every connection to a service keeps, included by each server that has services. */
export const proxyingFile = 'proxying.conf';
/** Beside the entry file: what every service is told, included by each server and location that tells something of its own as well. */
export const toldFile = 'told.conf';

const answerHead = `${String(longestAnswerHeadBytes / 1024)}k`;

/** What of `forgeable` is told to services the same way on every road. */
function told(plan: Plan): Readonly<Record<string, string>> {
  const { client } = visitorIn(plan);
  return {
    'x-forwarded-for': client,
    'x-real-ip': client,
  };
}
/** These are of the road and its listener, see `serviceHeaderLines`. */
const ofRoad = ['forwarded', 'x-forwarded-host', 'x-forwarded-port', 'x-forwarded-proto'];
/** What belongs to one connection (RFC 9110 §7.6.1), beside `Connection` and `Upgrade`. */
const ofConnection = ['HTTP2-Settings', 'Proxy-Connection', 'Trailer'];

export function proxyingLine(current: string): string {
  return `include ${quote(`${current}/${proxyingFile}`)};`;
}

export function proxyingText({ limits }: Plan): string {
  return [
    `${ownHeader}: settings of every connection to a service.`,
    comment('No buffering: nginx would hold back uploads and event streams.'),
    'proxy_http_version 1.1;',
    'proxy_redirect off;',
    'proxy_buffering off;',
    'proxy_request_buffering off;',
    comment('Buffers only the head of an answer. nginx requires the second line to fit the first.'),
    `proxy_buffer_size ${answerHead};`,
    `proxy_buffers 8 ${answerHead};`,
    'proxy_next_upstream off;',
    `proxy_connect_timeout ${String(limits.connectSeconds)}s;`,
    comment('A service cannot steer nginx by these headers.'),
    'proxy_ignore_headers X-Accel-Redirect X-Accel-Buffering X-Accel-Charset X-Accel-Limit-Rate;',
    comment('Removes what belongs to one connection (RFC 9110 §7.6.1), and what the front itself sets.'),
    ...[...ofConnection, 'TE', 'Upgrade', 'X-Powered-By', 'Strict-Transport-Security'].map(
      (name) => `proxy_hide_header ${name};`,
    ),
    '',
  ].join('\n');
}

export function toldText(plan: Plan): string {
  const {
    front: { edge },
  } = plan;
  const said = told(plan);
  const own = edge === null ? [] : [edge.header];
  const names = [...new Set([...forgeable.filter((name) => !ofRoad.includes(name)), ...own])];
  return [
    `${ownHeader}: headers that every service gets.`,
    comment('Removes what belongs to one connection (RFC 9110 §7.6.1). Only live connections ask for an upgrade.'),
    'proxy_set_header Connection $mile_marker_connection;',
    'proxy_set_header Upgrade $mile_marker_upgrade;',
    ...ofConnection.map((name) => `proxy_set_header ${name} "";`),
    comment(
      'Cookies of several lines are one (RFC 6265 §5.4). Of other headers that occur once, the first line counts.',
    ),
    'proxy_set_header Cookie $http_cookie;',
    'proxy_set_header Origin $mile_marker_origin;',
    comment('An empty value removes a header: what visitors claim about themselves never passes.'),
    ...names.map((name) => {
      const value = own.includes(name) ? '$mile_marker_client' : (said[name] ?? '""');
      return `proxy_set_header ${headerCase(name)} ${value};`;
    }),
    '',
  ].join('\n');
}

/** Maps that these lines refer to. */
export function proxyingMaps(): string[] {
  return [
    comment(
      'The kind of connection to a service: live for a WebSocket, kept for requests that may be sent twice, else once.',
    ),
    ...block('map "$http_upgrade:$request_method:$content_length$http_transfer_encoding" $mile_marker_kind', [
      'default once;',
      ...['GET', 'HEAD', 'OPTIONS', 'PUT', 'DELETE'].flatMap((method) => [`:${method}: kept;`, `:${method}:0 kept;`]),
      `${pattern('~*^websocket:')} $mile_marker_live;`,
    ]),
    ...block('map "$request_method $server_protocol $http_upgrade $http_connection" $mile_marker_live', [
      'default once;',
      `${pattern('~*^GET HTTP/1\\.1 websocket (?:.*[, ])?upgrade(?:[, ].*)?$')} live;`,
    ]),
    ...block('map $mile_marker_kind $mile_marker_way', ['default plain;', 'live live;']),
    ...block('map $mile_marker_way $mile_marker_connection', ['default "";', 'live upgrade;']),
    ...block('map $mile_marker_way $mile_marker_upgrade', ['default "";', 'live websocket;']),
    ...block('map $status $mile_marker_upgraded', ['default "";', '101 $upstream_http_upgrade;']),
  ];
}
