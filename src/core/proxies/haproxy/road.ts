import { withPort } from '../../networks/address.ts';
import { addressesOf } from '../../plan/parts.ts';
import type { Plan, PlannedPart, PlannedRoad } from '../../plan/plan.ts';
import type { Upstream } from '../../plan/upstream.ts';
import { allowedMethods, corsHeaders } from '../../verdict/cors.ts';
import { headerCase } from '../header-case.ts';
import { deviceLines, toldDevice } from './devices.ts';
import { defaultsName, resolversName } from './front.ts';
import { leadsWords } from '../leads-words.ts';
import { below, gateLines, withoutPassword } from './gate-lines.ts';
import { downLines, pageWords } from './pages.ts';
import { split, type Crowds, type RoadSection } from './crowds.ts';
import { backendOf } from './names.ts';
import { escapePattern } from '../pattern.ts';
import { comment, ownHeader, quote, quoteFormat, section } from './quote.ts';

type Listener = 'http' | 'https';

/** The page of one road: a section for those who come over HTTPS, and one for plain HTTP where the map has it. Rules work in the order they stand in. */
export function roadFile(plan: Plan, road: PlannedRoad, current: string): string {
  return page(road, sectionsOf(plan, road, current).map(whole));
}

/** The same, with what other roads have as well in sections of their own, which are added to `crowds`. */
export function crowdedRoadFile(plan: Plan, road: PlannedRoad, current: string, crowds: Crowds): string {
  // Whom a road counts stands in a table of its own section.
  const part = (one: RoadSection): string[] => (road.rules.rate === null ? split(one, crowds) : whole(one));
  return page(road, sectionsOf(plan, road, current).map(part));
}

function page(road: PlannedRoad, sections: ReadonlyArray<readonly string[]>): string {
  return [`${ownHeader} for the road ${road.name}.`, ...leadsWords(road).map(comment), '', ...sections.flat()].join(
    '\n',
  );
}

function sectionsOf(plan: Plan, road: PlannedRoad, current: string): RoadSection[] {
  const listeners: Listener[] = road.rules.plain ? ['https', 'http'] : ['https'];
  return listeners.map((listener) => ({
    name: `backend ${backendOf(road, listener)}`,
    lines: backendLines(plan, road, listener, current),
  }));
}

function whole({ name, lines }: RoadSection): string[] {
  return section(`${name} from ${defaultsName}`, lines);
}

function backendLines(plan: Plan, road: PlannedRoad, listener: Listener, current: string): string[] {
  const misdirected =
    listener === 'http'
      ? []
      : [
          comment('The certificate of this connection must cover the name.'),
          `http-request return status 421 if !{ var(txn.shown) -m str -- ${quote(road.certificate)} }`,
          ...deviceLines(road, pageWords(plan, current, 'refused')),
        ];
  const answers = roadAnswers(road, listener);
  const paused = `http-request return status 503${pageWords(plan, current, 'paused')}`;
  if (road.paused) return [...originLines(road), ...misdirected, paused, ...answers];
  return [
    ...originLines(road),
    ...misdirected,
    ...bodyLines(road),
    ...methodLines(road),
    ...preflightLines(road),
    ...rateLines(road),
    ...gateLines(plan, road, pageWords(plan, current, 'refused')),
    ...toldDevice(road),
    ...leadLines(plan, road, current),
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

/** The origin that may read the answer, whatever that is: known before anything answers. */
function originLines({ rules: { cors } }: PlannedRoad): string[] {
  if (cors === null) return [];
  const isOne = cors.origins.map((origin) => `^${escapePattern(origin)}$`).join('|');
  return [
    comment('Pages of other origins.'),
    cors.origins.includes('*')
      ? 'http-request set-var(txn.origin) str(*) if { var(txn.from) -m found }'
      : `http-request set-var(txn.origin) var(txn.from) if { var(txn.from) -m reg ${quote(isOne)} }`,
  ];
}

/** Answers to preflights. */
function preflightLines({ rules: { cors } }: PlannedRoad): string[] {
  if (cors === null) return [];
  const granted = [
    ['Access-Control-Allow-Methods', allowedMethods(cors).join(', ')],
    ...(cors.headers.length === 0 ? [] : [['Access-Control-Allow-Headers', cors.headers.join(', ')]]),
    ...(cors.maxAgeSeconds === null ? [] : [['Access-Control-Max-Age', String(cors.maxAgeSeconds)]]),
  ].map(([name = '', value = '']) => `hdr ${name} ${quoteFormat(value)}`);
  return [
    `http-request return status 204 ${granted.join(' ')} if { var(txn.preflight) -m found } { var(txn.origin) -m found }`,
    'http-request return status 403 if { var(txn.preflight) -m found }',
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

/** Where the parts of a road lead; the longest prefix first. */
function leadLines(plan: Plan, road: PlannedRoad, current: string): string[] {
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
  const answered = parts.flatMap((part, index) => ownAnswer(plan, part, when(index), pageWords(plan, current, 'down')));
  const dialled = parts.flatMap(({ leads }, index) =>
    leads.kind === 'service' && dialable(plan, leads.upstream) !== null && leads.upstream !== null
      ? [{ upstream: leads.upstream, index }]
      : [],
  );
  if (dialled.length === 0) return [...chosen, ...answered];
  return [
    ...chosen,
    ...answered,
    ...downLines(plan, current),
    ...unannouncedLines(road),
    ...withoutPassword(road),
    ...dialled.flatMap(({ upstream, index }) =>
      upstream.sayHost === null ? [] : [`http-request set-header Host ${quoteFormat(upstream.sayHost)}${when(index)}`],
    ),
    'http-request set-var(txn.dials) bool(true)',
    `timeout server ${String(road.rules.silenceSeconds)}s`,
    `timeout tunnel ${String(Math.max(plan.limits.liveSeconds, road.rules.silenceSeconds))}s`,
    ...(dialled.length === 1 && parts.length === 1
      ? []
      : dialled.map(({ index }) => `use-server to${String(index)} if ${number(index)}`)),
    ...dialled.flatMap(({ upstream, index }) => serverLines(plan, upstream, `to${String(index)}`, parts.length === 1)),
  ];
}

/** A service that runs several times has a server for each, unless its road has other parts, which choose theirs by its name. */
function serverLines(plan: Plan, upstream: Upstream, name: string, isAlone: boolean): string[] {
  const [first, ...others] = addressesOf(upstream).map((at) => dialable(plan, { ...upstream, ...at }) ?? '');
  const own = `server ${name} ${first ?? ''}`;
  if (others.length === 0 || !isAlone) return [own];
  return [
    comment('Several replicas. What was not sent yet, or may be repeated, goes to the next.'),
    'balance roundrobin',
    `retries ${String(others.length + 1)}`,
    'option redispatch 1',
    'retry-on conn-failure empty-response',
    // haproxy asks each every two seconds whether it takes connections.
    ...[own, ...others.map((at, index) => `server ${name}_${String(index + 1)} ${at}`)].map((line) => `${line} check`),
  ];
}

/** What haproxy answers itself. It shows no folders; `check` says so before anything is written. */
function ownAnswer(plan: Plan, { leads }: PlannedPart, when: string, down: string): string[] {
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
      return [`http-request return status 502${down}${when}`];
    case 'service':
      return dialable(plan, leads.upstream) === null ? [`http-request return status 502${down}${when}`] : [];
  }
}

/** Address and options of a `server` line; null when this machine lacks what a safe connection needs, or haproxy cannot prove what the map asks to be proven. */
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

/** The headers of every answer of a road, the service's and the front's own. */
function roadAnswers({ rules }: PlannedRoad, listener: Listener): string[] {
  const { hsts, headers, defaults, cors } = rules;
  const gone = [...headers.map(([name]) => name), ...(cors === null ? [] : corsHeaders.map(headerCase))];
  const after = (words: string): string => `http-after-response ${words}`;
  return [
    comment('Headers of every answer.'),
    ...gone.map((name) => `http-response del-header ${name}`),
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
