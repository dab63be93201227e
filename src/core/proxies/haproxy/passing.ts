import type { Plan } from '../../plan/plan.ts';
import { firstCounts, forgeable } from '../../verdict/verdict.ts';
import { headerCase } from '../header-case.ts';
import { comment, escapeFormat, quote } from './quote.ts';

type Listener = 'http' | 'https';

/** What belongs to one connection (RFC 9110 §7.6.1) and haproxy would pass on. */
const ofConnection = ['HTTP2-Settings', 'Keep-Alive', 'Proxy-Connection', 'TE', 'Trailer'];

/** What the pages of roads ask about pages of other origins, while the lines of the request are all there. One line alone counts. */
export function originLines(): string[] {
  const one = (name: string): string => `{ req.fhdr_cnt(${name}) eq 1 } !{ req.fhdr(${name}) -m len 0 }`;
  return [
    comment('Requests from pages of other origins, and their preflights (Fetch standard, CORS protocol).'),
    `http-request set-var(txn.from) req.fhdr(origin) if ${one('origin')}`,
    `http-request set-var(txn.preflight) bool(true) if { method OPTIONS } { var(txn.from) -m found } ${one('access-control-request-method')}`,
  ];
}

/** The headers of a request as services get them: nothing that a stranger wrote about himself, and what the front says instead. */
export function requestLines(plan: Plan, listener: Listener): string[] {
  const { edge, ports } = plan.front;
  const usual = { http: 80, https: 443 }[listener];
  const port = ports[listener] === usual ? '' : `:${String(ports[listener])}`;
  const authority = `%[var(txn.name)]${escapeFormat(port)}`;
  const client = '%[var(txn.client)]';
  const told: Array<[string, string]> = [
    ['Host', authority],
    ['Forwarded', `for=%[var(txn.node)];host="${authority}";proto=${listener}`],
    ['X-Forwarded-For', client],
    ['X-Forwarded-Host', authority],
    ['X-Forwarded-Port', String(ports[listener])],
    ['X-Forwarded-Proto', listener],
    ['X-Real-IP', client],
  ];
  const names = new Set(told.map(([name]) => name.toLowerCase()));
  const own: Array<[string, string]> =
    edge === null || names.has(edge.header) ? [] : [[headerCase(edge.header), client]];
  const gone = forgeable.filter((name) => !names.has(name) && name !== edge?.header).map(headerCase);
  return [
    comment('Only WebSockets may upgrade. Any other tunnel would bypass all further rules.'),
    'http-request set-var(txn.live) bool(true) if { method GET } HTTP_1.1 { req.hdr(upgrade) -m str -i websocket } { req.fhdr_cnt(upgrade) eq 1 } { req.hdr(connection) -m str -i upgrade }',
    'http-request del-header Upgrade unless { var(txn.live) -m found }',
    'http-request del-header Connection unless { var(txn.live) -m found }',
    comment('Removes what belongs to one connection, and what visitors claim about themselves.'),
    comment('Many programs read names with other characters, such as _, as these.'),
    `http-request del-header ${quote(`${namesPattern([...ofConnection, ...gone])}|[^a-z0-9-]`)} -m reg`,
    comment('The service decides whether an upload may begin.'),
    'http-request del-header Expect unless { req.hdr(expect) -m str -i 100-continue }',
    comment(
      'Cookies of several lines are one (RFC 6265 §5.4). Of other headers that occur once, the first line counts.',
    ),
    'http-request set-var(txn.cookies) req.fhdr_cnt(cookie)',
    ...[2, 3, 4].map((count) => {
      const all = Array.from({ length: count }, (_, index) => `%[req.fhdr(cookie,${String(index + 1)})]`).join('; ');
      return `http-request set-header Cookie ${quote(all)} if { var(txn.cookies) -m int ${String(count)} }`;
    }),
    ...[...firstCounts].map(
      (name) =>
        `http-request set-header ${headerCase(name)} ${quote(`%[req.fhdr(${name},1)]`)} if { req.fhdr_cnt(${name}) gt 1 }`,
    ),
    comment('Headers for the services.'),
    ...[...told, ...own].map(([name, value]) => `http-request set-header ${name} ${quote(value)}`),
    comment('Requests that must not be sent twice.'),
    'http-request disable-l7-retry unless { method GET HEAD OPTIONS PUT DELETE } !{ req.fhdr(content-length) -m int gt 0 } !{ req.fhdr_cnt(transfer-encoding) gt 0 } !{ var(txn.live) -m found }',
  ];
}

/** Removes from answers what belongs to the connection, and what only the front may say. */
const dropped = [
  ...[...ofConnection, 'Server', 'X-Powered-By', 'Strict-Transport-Security'],
  ...['Buffering', 'Charset', 'Expires', 'Limit-Rate', 'Redirect'].map((what) => `X-Accel-${what}`),
];

/** Answers of services, on every road. */
export function answerLines(): string[] {
  return [
    comment('Removes from answers what must not reach visitors.'),
    'http-response set-var(txn.answered) bool(true)',
    comment('Stops answers with NUL in a header, or a protocol that nobody asked for.'),
    `http-response deny deny_status 502 if { res.hdrs -m reg ${quote('\\x00')} }`,
    'http-response deny deny_status 502 if { status 101 } !{ var(txn.live) -m found }',
    `http-response del-header ${quote(namesPattern(dropped))} -m reg`,
    'http-response del-header Upgrade unless { status 101 }',
    comment('RFC 9110 §8.6: an answer without content has no length.'),
    'http-response del-header Content-Length if { status 204 }',
    comment('The answer when a service cannot be reached.'),
    'http-after-response set-status 502 if { status 503 } { var(txn.dials) -m found } !{ var(txn.answered) -m found }',
  ];
}

/** Any of these names, as haproxy keeps them; one look at each header instead of one for each name. */
function namesPattern(names: readonly string[]): string {
  return `^(?:${names.map((name) => name.toLowerCase()).join('|')})$`;
}
