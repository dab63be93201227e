import { withPort } from '../../networks/address.ts';
import type { Plan, PlannedPart, PlannedRoad, Upstream } from '../../plan/plan.ts';
import { allowedMethods, corsHeaders } from '../../verdict/cors.ts';
import { authorityOn } from '../../verdict/forwarded.ts';
import { firstCounts, forgeable } from '../../verdict/verdict.ts';
import { headerCase } from '../header-case.ts';
import { defaultsName, leadsWords, resolversName } from './front.ts';
import { below, gateLines, withoutPassword } from './gate-lines.ts';
import { namedFormat } from './named.ts';
import { backendOf } from './names.ts';
import { comment, escapePattern, ownHeader, quote, quoteFormat, section } from './quote.ts';

type Listener = 'http' | 'https';

/** The page of one road: a section for those who come over HTTPS, and one for plain HTTP where the map has it. Rules work in the order they stand in. */
export function roadFile(plan: Plan, road: PlannedRoad): string {
  const listeners: Listener[] = road.rules.plain ? ['https', 'http'] : ['https'];
  return [
    `${ownHeader} for the road ${road.name}.`,
    comment(road.paused ? 'Paused.' : leadsWords(road)),
    comment(`Gate: ${road.gate.name}.`),
    '',
    ...listeners.flatMap((listener) =>
      section(`backend ${backendOf(road, listener)} from ${defaultsName}`, backendLines(plan, road, listener)),
    ),
  ].join('\n');
}

function backendLines(plan: Plan, road: PlannedRoad, listener: Listener): string[] {
  const misdirected =
    listener === 'http'
      ? []
      : [
          comment('The certificate that was shown must cover this name.'),
          `http-request return status 421 if !{ var(txn.shown) -m str -- ${quote(road.certificate)} }`,
        ];
  const answers = answerLines(road, listener);
  if (road.paused) return [...originLines(road), ...misdirected, 'http-request return status 503', ...answers];
  return [
    ...originLines(road),
    ...misdirected,
    ...bodyLines(road),
    ...methodLines(road),
    ...preflightLines(road),
    ...rateLines(road),
    ...gateLines(road),
    ...leadLines(plan, road, listener),
    ...answers,
  ];
}

/** RFC 9110 §15.5.14, by the length that is announced. */
function bodyLines({ rules: { bodyLimitBytes } }: PlannedRoad): string[] {
  if (bodyLimitBytes === null) return [];
  return [`http-request return status 413 if { req.fhdr(content-length) -m int gt ${String(bodyLimitBytes)} }`];
}

/** A body that does not say its length cannot be counted as it grows, and is asked for it (RFC 9110 §15.5.12). */
function unannouncedLines({ rules: { bodyLimitBytes } }: PlannedRoad): string[] {
  if (bodyLimitBytes === null) return [];
  return [
    'http-request return status 411 if { req.fhdr_cnt(transfer-encoding) gt 0 }',
    'http-request return status 411 if HTTP_2.0 { method POST PUT PATCH } !{ req.fhdr_cnt(content-length) gt 0 }',
  ];
}

function methodLines({ rules: { methods } }: PlannedRoad): string[] {
  if (methods === null) return [];
  return [
    `http-request return status 405 hdr Allow ${quoteFormat(methods.join(', '))} if !{ method -m str -- ${methods.join(' ')} }`,
  ];
}

/** One line alone counts. */
const oneOrigin = '{ req.fhdr_cnt(origin) eq 1 } !{ req.fhdr(origin) -m len 0 }';

/** The origin that may read the answer, whatever that is: known before anything answers (Fetch standard, CORS protocol). */
function originLines({ rules: { cors } }: PlannedRoad): string[] {
  if (cors === null) return [];
  const isOne = cors.origins.map((origin) => `^${escapePattern(origin)}$`).join('|');
  return [
    comment('Pages of other origins.'),
    cors.origins.includes('*')
      ? `http-request set-var(txn.origin) str(*) if ${oneOrigin}`
      : `http-request set-var(txn.origin) req.fhdr(origin) if ${oneOrigin} { req.fhdr(origin) -m reg ${quote(isOne)} }`,
  ];
}

/** 10. Answers to preflights. */
function preflightLines({ rules: { cors } }: PlannedRoad): string[] {
  if (cors === null) return [];
  const asks = `{ method OPTIONS } ${oneOrigin} { req.fhdr_cnt(access-control-request-method) eq 1 } !{ req.fhdr(access-control-request-method) -m len 0 }`;
  const granted = [
    ['Access-Control-Allow-Methods', allowedMethods(cors).join(', ')],
    ...(cors.headers.length === 0 ? [] : [['Access-Control-Allow-Headers', cors.headers.join(', ')]]),
    ...(cors.maxAgeSeconds === null ? [] : [['Access-Control-Max-Age', String(cors.maxAgeSeconds)]]),
  ].map(([name = '', value = '']) => `hdr ${name} ${quoteFormat(value)}`);
  return [
    `http-request return status 204 ${granted.join(' ')} if ${asks} { var(txn.origin) -m found }`,
    `http-request return status 403 if ${asks}`,
  ];
}

/**
 * 11. As many as the burst and one more in the time in which the rate gives so many. What is refused does not count. A client is an IPv4 address, or the /64 of
 * an IPv6 one.
 */
function rateLines({ rules: { rate } }: PlannedRoad): string[] {
  if (rate === null) return [];
  const most = rate.burst + 1;
  const window = `${String(Math.ceil((most * rate.perSeconds * 1000) / rate.requests))}ms`;
  const wait = String(Math.ceil(rate.perSeconds / rate.requests));
  return [
    comment('Rate.'),
    `stick-table type ipv6 size 10k expire ${window} store gpc0,gpc0_rate(${window})`,
    'http-request track-sc0 src,ipmask(32,64)',
    `http-request return status 429 hdr Retry-After ${wait} if { sc0_gpc0_rate ge ${String(most)} }`,
    'http-request sc-inc-gpc0(0)',
  ];
}

/** 13. Where the parts of a road lead; the longest prefix first. */
function leadLines(plan: Plan, road: PlannedRoad, listener: Listener): string[] {
  const { parts } = road;
  const last = parts.length - 1;
  const number = (index: number): string => `{ var(txn.part) -m int ${String(index)} }`;
  const chosen =
    parts.length === 1
      ? []
      : parts.map(({ prefix }, index) =>
          index === last
            ? `http-request set-var(txn.part) int(${String(index)}) if !{ var(txn.part) -m found }`
            : `http-request set-var(txn.part) int(${String(index)}) if !{ var(txn.part) -m found } ${below(prefix)}`,
        );
  const when = (index: number): string => (parts.length === 1 ? '' : ` if ${number(index)}`);
  const answered = parts.flatMap((part, index) => ownAnswer(plan, part, when(index)));
  const dialled = parts.flatMap(({ leads }, index) =>
    leads.kind === 'service' && dialable(plan, leads.upstream) !== null && leads.upstream !== null
      ? [{ upstream: leads.upstream, index }]
      : [],
  );
  if (dialled.length === 0) return [...chosen, ...answered];
  return [
    ...chosen,
    ...answered,
    ...unannouncedLines(road),
    ...withoutPassword(road),
    ...toService(plan, road, listener),
    ...dialled.flatMap(({ upstream, index }) =>
      upstream.sayHost === null ? [] : [`http-request set-header Host ${quoteFormat(upstream.sayHost)}${when(index)}`],
    ),
    'http-request set-var(txn.dials) bool(true)',
    `timeout server ${String(road.rules.silenceSeconds)}s`,
    `timeout tunnel ${String(Math.max(plan.limits.liveSeconds, road.rules.silenceSeconds))}s`,
    ...(dialled.length === 1 && parts.length === 1
      ? []
      : dialled.map(({ index }) => `use-server to${String(index)} if ${number(index)}`)),
    ...dialled.map(({ upstream, index }) => `server to${String(index)} ${dialable(plan, upstream) ?? ''}`),
  ];
}

/** What haproxy answers itself. It shows no folders; `check` says so before anything is written. */
function ownAnswer(plan: Plan, { leads }: PlannedPart, when: string): string[] {
  switch (leads.kind) {
    case 'redirect': {
      const { status, url, below: prefix } = leads;
      const bare = `^${escapePattern((prefix ?? '').replace(/\/$/, ''))}${url.endsWith('/') ? '/?' : ''}`;
      const rest = prefix === null ? 'pathq' : `pathq,regsub("${bare.replace(/[\\"]/g, '\\$&')}","")`;
      return [
        `http-request redirect location ${quote(`${quoteFormat(url).slice(1, -1)}%[${rest}]`)} code ${String(status)}${when}`,
      ];
    }
    case 'folder':
      return [`http-request return status 502${when}`];
    case 'service':
      return dialable(plan, leads.upstream) === null ? [`http-request return status 502${when}`] : [];
  }
}

/** Address and options of a `server` line; null when this host lacks what a safe connection needs, or haproxy cannot prove what the map asks to be proven. */
function dialable({ host }: Plan, upstream: Upstream | null): string | null {
  if (upstream === null || (upstream.byName && host.resolvers.length === 0)) return null;
  const at = withPort(upstream.host, upstream.port);
  const moves = upstream.byName ? ` resolvers ${resolversName} init-addr none` : '';
  if (upstream.scheme === 'http') return `${at}${moves}`;
  const { trust, verifyAs } = upstream;
  const name = quote(verifyAs ?? '');
  const tls = `ssl alpn http/1.1 no-ssl-reuse sni ${quote(`str("${(verifyAs ?? '').replace(/[\\"]/g, '\\$&')}")`)}`;
  if (trust.kind === 'none') return `${at}${moves} ${tls} verify none`;
  const file = trust.kind === 'ca' ? trust.file : host.trustedRoots;
  if (trust.kind === 'pin' || file === null) return null;
  return `${at}${moves} ${tls} verify required verifyhost ${name} ca-file ${quote(file)}`;
}

/** What belongs to one connection (RFC 9110 §7.6.1) and haproxy would pass on. */
const ofConnection = ['HTTP2-Settings', 'Keep-Alive', 'Proxy-Connection', 'TE', 'Trailer'];

/** What services are told of the visitor; what a stranger wrote about himself never passes. */
function toService(plan: Plan, road: PlannedRoad, listener: Listener): string[] {
  const { edge, ports } = plan.front;
  const authority = namedFormat(authorityOn(road, listener, ports), road);
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
  const own = edge === null || told.some(([name]) => name.toLowerCase() === edge.header) ? [] : [edge.header];
  const set = new Set([...told.map(([name]) => name.toLowerCase()), ...own]);
  const gone = forgeable.filter((name) => !set.has(name)).map(headerCase);
  return [
    comment('A tunnel of any other kind than a WebSocket would skip every rule after it.'),
    `http-request set-var(txn.live) bool(true) if { method GET } HTTP_1.1 { req.hdr(upgrade) -m str -i websocket } { req.fhdr_cnt(upgrade) eq 1 } { req.hdr(connection) -m str -i upgrade }`,
    'http-request del-header Upgrade unless { var(txn.live) -m found }',
    'http-request del-header Connection unless { var(txn.live) -m found }',
    ...[...ofConnection, ...gone].map((name) => `http-request del-header ${name}`),
    comment('Cookies of several lines are one (RFC 6265 §5.4).'),
    ...[2, 3, 4].map((count) => {
      const all = Array.from({ length: count }, (_, index) => `%[req.fhdr(cookie,${String(index + 1)})]`).join('; ');
      return `http-request set-header Cookie ${quote(all)} if { req.fhdr_cnt(cookie) eq ${String(count)} }`;
    }),
    comment('What must not be sent twice.'),
    'http-request disable-l7-retry unless { method GET HEAD OPTIONS PUT DELETE } !{ req.fhdr(content-length) -m int gt 0 } !{ req.fhdr_cnt(transfer-encoding) gt 0 } !{ var(txn.live) -m found }',
    comment('The service itself says whether an upload may begin.'),
    'http-request del-header Expect unless { req.hdr(expect) -m str -i 100-continue }',
    comment('Names of other letters are read as these by many programs.'),
    `http-request del-header ${quote('[^A-Za-z0-9-]')} -m reg`,
    ...[...firstCounts].map(
      (name) =>
        `http-request set-header ${headerCase(name)} ${quote(`%[req.fhdr(${name},1)]`)} if { req.fhdr_cnt(${name}) gt 1 }`,
    ),
    comment('What the service is told.'),
    ...told.map(([name, value]) => `http-request set-header ${name} ${quote(value)}`),
    ...own.map((name) => `http-request set-header ${headerCase(name)} ${client}`),
  ];
}

/** What a service says that goes no further: what belongs to the connection, and what speaks for the front. */
const dropped = [
  ...[
    'HTTP2-Settings',
    'Keep-Alive',
    'Proxy-Connection',
    'TE',
    'Trailer',
    'Server',
    'X-Powered-By',
    'Strict-Transport-Security',
  ],
  ...['Buffering', 'Charset', 'Expires', 'Limit-Rate', 'Redirect'].map((what) => `X-Accel-${what}`),
];

/** The headers of every answer of a road, the service's and the front's own. */
function answerLines({ rules }: PlannedRoad, listener: Listener): string[] {
  const { hsts, headers, defaults, cors } = rules;
  const gone = [...dropped, ...headers.map(([name]) => name), ...(cors === null ? [] : corsHeaders.map(headerCase))];
  const after = (words: string): string => `http-after-response ${words}`;
  return [
    comment('What every answer says.'),
    'http-response set-var(txn.answered) bool(true)',
    ...gone.map((name) => `http-response del-header ${name}`),
    'http-response del-header Upgrade unless { status 101 }',
    comment('A service that cannot be reached.'),
    after('set-status 502 if { status 503 } { var(txn.dials) -m found } !{ var(txn.answered) -m found }'),
    ...(hsts === null || listener === 'http'
      ? []
      : [after(`set-header Strict-Transport-Security max-age=${String(hsts)}`)]),
    ...headers.map(([name, value]) => after(`set-header ${name} ${quoteFormat(value)}`)),
    ...(cors === null
      ? []
      : [
          ...(cors.origins.includes('*') ? [] : [after('add-header Vary Origin')]),
          after("set-header Access-Control-Allow-Origin '%[var(txn.origin)]' if { var(txn.origin) -m found }"),
          ...(cors.credentials
            ? [after('set-header Access-Control-Allow-Credentials true if { var(txn.origin) -m found }')]
            : []),
        ]),
    ...defaults.map(([name, value]) =>
      after(`set-header ${name} ${quoteFormat(value)} if !{ res.fhdr_cnt(${name}) gt 0 }`),
    ),
  ];
}
