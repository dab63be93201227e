import { addressesOf } from '../../plan/parts.ts';
import { contentTypes, unknownType } from '../../names/content-types.ts';
import { inUrl, withPort } from '../../networks/address.ts';
import type { Plan, PlannedLeads, PlannedRoad } from '../../plan/plan.ts';
import type { Upstream } from '../../plan/upstream.ts';
import { authorityOn } from '../../verdict/forwarded.ts';
import { hasPeople } from '../../verdict/gate.ts';
import { methodLines } from './answer-lines.ts';
import { onlyStep, prefixPattern } from './gate-lines.ts';
import { crowdAddress, isMovable, type Crowd, type Layout } from './crowds.ts';
import { variable } from './ids.ts';
import { briefSeconds, keptSeconds } from '../../front-limits.ts';
import { pageLine, returnLines } from './pages.ts';
import { toldDevice } from './devices.ts';
import { toldLines } from './asking.ts';
import { toldFile } from './proxying.ts';
import { visitorIn } from './visitor.ts';
import { escapePattern } from '../pattern.ts';
import { block, comment, namedText, pattern, quote, quoteThen } from './quote.ts';

type Listener = 'http' | 'https';

/** What the last `try_files` of the gate opens: one location, or the one that the target's path chooses. */
export function leadEntry({ name, parts }: PlannedRoad, layout: Layout): string {
  const [only, second] = parts;
  return only !== undefined && second === undefined ? locationOf(only.leads, 0, layout) : `$${variable(name, 'lead')}`;
}

/** Maps of the road, outside its servers: longest prefix first, as the plan has them. */
export function leadMaps({ name, parts }: PlannedRoad, layout: Layout): string[] {
  if (parts.length === 1) return [];
  return block(
    `map "$mile_marker_normal$request_uri" $${variable(name, 'lead')}`,
    parts.map(({ prefix, leads }, index) => {
      const pattern = prefix === '/' ? 'default' : prefixPattern(prefix);
      return `${pattern} "${locationOf(leads, index, layout)}";`;
    }),
  );
}

/** A service has a location for each way of going there, see `kinds`. */
function locationOf({ kind }: PlannedLeads, index: number, layout: Layout): string {
  const way = layout === 'pages' ? '$mile_marker_kind' : '$mile_marker_way';
  return kind === 'service' ? `@lead${String(index)}_${way}` : `@lead${String(index)}`;
}

/**
 * Where the services of a road are gone to, outside its servers: with connections that are used again, but in a large map, and by turns where one runs several
 * times. nginx looks a name up once here, so one that may move has none.
 */
export function serviceGroups({ name, parts }: PlannedRoad, layout: Layout): string[] {
  return parts.flatMap(({ leads }, index) => {
    if (leads.kind !== 'service' || leads.upstream === null || leads.upstream.byName) return [];
    const servers = addressesOf(leads.upstream).map(({ host, port }) => `server ${withPort(host, port)};`);
    const isMany = servers.length > 1;
    return [
      ...(isMany ? [comment('Several replicas. One that does not answer is skipped for a while.')] : []),
      ...Object.entries(layout === 'pages' ? idleSecondsOf : {}).flatMap(([kind, seconds]) =>
        block(`upstream ${keptName(name, index, kind)}`, [
          ...servers,
          'keepalive 32;',
          `keepalive_timeout ${String(seconds)}s;`,
        ]),
      ),
      ...(isMany ? block(`upstream ${keptName(name, index, 'live')}`, servers) : []),
    ];
  });
}

const idleSecondsOf: Readonly<Record<string, number>> = { kept: keptSeconds, once: briefSeconds };

function keptName(road: string, index: number, kind: string): string {
  return variable(road, `${kind}${String(index)}`);
}

/** The named locations of all that a road leads to. */
export function leadLocations(of: Omit<LeadInput, 'leads' | 'index'>): string[] {
  return of.road.parts.flatMap(({ leads }, index) => locations({ ...of, leads, index }));
}

interface LeadInput {
  plan: Plan;
  /** Where the written files lie. */
  current: string;
  road: PlannedRoad;
  layout: Layout;
  /** The roads that this one stands for; null for itself. */
  crowd: Crowd | null;
  listener: Listener;
  leads: PlannedLeads;
  /** Number of the part. */
  index: number;
}

function locations(input: LeadInput): string[] {
  const { leads, index } = input;
  const name = `@lead${String(index)}`;
  switch (leads.kind) {
    case 'redirect':
      return block(`location ${name}`, redirectLines(leads));
    case 'folder':
      return block(`location ${name}`, folderLines(leads.path, authorityText(input), input.listener));
    case 'service':
      return serviceLocations(input, leads.upstream);
  }
}

/** The target byte for byte, or what of it follows the prefix. */
function redirectLines({ status, url, below }: Extract<PlannedLeads, { kind: 'redirect' }>): string[] {
  if (below === null) return [`return ${String(status)} ${quoteThen(url, '$request_uri')};`];
  const bare = escapePattern(below.replace(/\/$/, ''));
  // One slash where the two meet.
  const slash = url.endsWith('/') ? '/?' : '';
  return block(`if ($request_uri ~ ${pattern(`^${bare}${slash}(.*)$`)})`, [
    `return ${String(status)} ${quoteThen(url, '$1')};`,
  ]);
}

function authorityText({ road, listener, plan }: LeadInput): string {
  return namedText(authorityOn(road, listener, plan.front.ports), road);
}

function folderLines(path: string, authority: string, listener: Listener): string[] {
  const types = Object.entries(contentTypes).map(([extension, type]) => `${quote(type)} ${extension};`);
  return [
    ...block('if ($request_method !~ "^(?:GET|HEAD)$")', ['return 405;']),
    ...block('if ($mile_marker_no_file)', ['return 404;']),
    `root ${quote(path)};`,
    'open_file_cache off;',
    comment('No link is followed below the folder, so none leads out of it.'),
    `disable_symlinks on ${quote(`from=${path}`)};`,
    'autoindex off;',
    // RFC 9110 §13.1.3: not changed since then, or before; and one range, as everybody asks.
    'if_modified_since before;',
    'max_ranges 1;',
    ...block('types', types),
    `default_type ${unknownType};`,
    comment('Adds the slash after a folder; relative links need it.'),
    // One `if` that returns: after any other, nginx forgets the `try_files` below.
    ...block('if (-d $document_root$mile_marker_bare)', [
      `return 307 "${listener}://${authority}$mile_marker_path/$mile_marker_query";`,
    ]),
    'try_files $mile_marker_file =404;',
  ];
}

/**
 * A road of one step that leads to one service needs no ladder, which costs every request a twentieth: its first location goes to the service
 * itself. What must not be sent twice and live connections have locations of their own; they get there before rate and gate are asked, so these
 * stand there again. Null where the road has more steps.
 */
export function shortWay(of: Omit<LeadInput, 'leads' | 'index'>, entry: string): string[] | null {
  const { plan, road, layout } = of;
  const step = onlyStep(plan, road);
  const [only, second] = road.parts;
  if (step === null || second !== undefined || only?.leads.kind !== 'service') return null;
  const { upstream } = only.leads;
  const input = { ...of, leads: only.leads, index: 0 };
  // A `return` beside the gate would answer past it.
  if (upstream === null || upstream.byName || passLines(input, upstream, kinds[layout][0]) === null) return null;
  const [usual, ...others] = kinds[layout];
  const isOther = layout === 'pages' ? '$mile_marker_kind != kept' : '$mile_marker_way = live';
  return [
    ...block(`location ${entry}`, [
      ...methodLines(road),
      ...step,
      comment('Other requests go elsewhere by 418, which no protocol uses (RFC 9110 §15.5.19).'),
      ...block(`if (${isOther})`, [`error_page 418 = ${locationOf(only.leads, 0, layout)};`, 'return 418;']),
      ...serviceLines(input, upstream, usual),
    ]),
    ...others.flatMap((kind) => block(`location @lead0_${kind}`, [...step, ...serviceLines(input, upstream, kind)])),
  ];
}

type Kind = 'kept' | 'once' | 'plain' | 'live';

/**
 * `kept`: may be sent twice. `once`: must not, so its connection has not been idle for long. `live`: silent for long by nature, on its own. `plain`: each on
 * a connection of its own, since connections that are kept cost a large map more memory than all the rest of it.
 */
const kinds: Readonly<Record<Layout, readonly [Kind, ...Kind[]]>> = {
  pages: ['kept', 'once', 'live'],
  crowds: ['plain', 'live'],
};

function serviceLocations(input: LeadInput, upstream: Upstream | null): string[] {
  return kinds[input.layout].flatMap((kind) =>
    block(
      `location @lead${String(input.index)}_${kind}`,
      upstream === null ? returnLines(input.plan, 'down', 502) : serviceLines(input, upstream, kind),
    ),
  );
}

function serviceLines(input: LeadInput, upstream: Upstream, kind: Kind): string[] {
  const { plan, road } = input;
  const to = passLines(input, upstream, kind);
  if (to === null) return returnLines(plan, 'down', 502);
  const { silenceSeconds } = road.rules;
  const seconds = kind === 'live' ? Math.max(plan.limits.liveSeconds, silenceSeconds) : silenceSeconds;
  return [
    ...to,
    ...pageLine(plan, 'down'),
    ...(upstream.sayHost === null ? [] : serviceHeaderLines(input, upstream.sayHost)),
    `proxy_send_timeout ${String(seconds)}s;`,
    `proxy_read_timeout ${String(seconds)}s;`,
  ];
}

export function originOf({ scheme, host, port }: Upstream): string {
  return `${scheme}://${withPort(host, port)}`;
}

/** Where to dial, or null when this machine lacks what a safe connection needs, or nginx cannot prove what the map asks to be proven. */
function passLines({ plan, road, index, crowd, leads }: LeadInput, upstream: Upstream, kind: Kind): string[] | null {
  const { host, front } = plan;
  const tls = upstream.scheme === 'https' ? tlsLines(upstream, host.trustedRoots) : [];
  if (tls === null || (upstream.byName && host.resolvers.length === 0)) return null;
  if (crowd !== null && isMovable(leads)) return [`proxy_pass http://${crowdAddress(crowd, index)};`];
  const isMany = addressesOf(upstream).length > 1;
  if (!upstream.byName && (kind === 'kept' || kind === 'once' || isMany))
    return [
      `proxy_pass ${upstream.scheme}://${keptName(road.name, index, kind === 'plain' ? 'live' : kind)};`,
      // nginx sends nothing twice that it must not: what was not sent yet, or may be repeated, goes to the next server. With one server alone it does so for a
      // kept connection that broke before an answer came.
      ...(isMany ? ['proxy_next_upstream error timeout;'] : kind === 'kept' ? ['proxy_next_upstream error;'] : []),
      ...tls,
    ];
  if (!upstream.byName) return [`proxy_pass ${originOf(upstream)};`, ...tls];
  return [
    comment('Looked up through a variable: nginx starts without the name, and follows when it moves.'),
    comment('This lookup uses DNS only, not /etc/hosts.'),
    `resolver ${host.resolvers.map(inUrl).join(' ')} valid=${front.container === null ? '30s' : '5s'};`,
    `set $mile_marker_to ${quote(originOf(upstream))};`,
    'proxy_pass $mile_marker_to;',
    ...tls,
  ];
}

/** `proxy_ssl_verify` is off by default, and the name is not sent by default. nginx has no directive for a pinned key. */
function tlsLines({ verifyAs, trust }: Upstream, roots: string | null): string[] | null {
  // nginx keeps one session for each address, whatever was asked to be proven when it was made: taken up by a stricter road it would
  // prove nothing.
  const name = [
    'proxy_ssl_server_name on;',
    `proxy_ssl_name ${quote(verifyAs ?? '')};`,
    'proxy_ssl_session_reuse off;',
  ];
  if (trust.kind === 'none')
    return [
      ...name,
      comment('`upstream-insecure`: the certificate of the service is not checked.'),
      'proxy_ssl_verify off;',
    ];
  const file = trust.kind === 'ca' ? trust.file : roots;
  if (trust.kind === 'pin' || file === null) return null;
  return [
    ...name,
    'proxy_ssl_verify on;',
    'proxy_ssl_verify_depth 4;',
    `proxy_ssl_trusted_certificate ${quote(file)};`,
  ];
}

/**
 * What the services of a road are told: the lines that all share, and what is its own. They stand in its server; a location that tells something
 * else has to repeat them all, since a single `proxy_set_header` drops what was inherited.
 */
export function serviceHeaderLines(
  { plan, current, road, listener }: Omit<LeadInput, 'leads' | 'index'>,
  sayHost: string | null = null,
): string[] {
  const authority = namedText(authorityOn(road, listener, plan.front.ports), road);
  return [
    `include ${quote(`${current}/${toldFile}`)};`,
    `proxy_set_header Host ${sayHost === null ? `"${authority}"` : quote(sayHost)};`,
    `proxy_set_header Forwarded ${quoteThen('for=', `${visitorIn(plan).node};host=\\"${authority}\\";proto=${listener}`)};`,
    `proxy_set_header X-Forwarded-Host "${authority}";`,
    `proxy_set_header X-Forwarded-Port ${String(plan.front.ports[listener])};`,
    `proxy_set_header X-Forwarded-Proto ${listener};`,
    `proxy_set_header Authorization ${hasPeople(road.gate) ? '$mile_marker_not_basic' : '$http_authorization'};`,
    ...toldLines(road.gate),
    ...toldDevice(road.gate),
  ];
}
