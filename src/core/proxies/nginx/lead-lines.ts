import { contentTypes, unknownType } from '../../names/content-types.ts';
import { inUrl, withPort } from '../../networks/address.ts';
import type { Plan, PlannedLeads, PlannedRoad, Upstream } from '../../plan/plan.ts';
import { authorityOn } from '../../verdict/forwarded.ts';
import { forgeable } from '../../verdict/verdict.ts';
import { longestAnswerHeadBytes } from '../hardening.ts';
import { prefixPattern } from './gate-lines.ts';
import { variable } from './ids.ts';
import { block, comment, escapePattern, headerCase, namedText, pattern, quote, quoteThen } from './quote.ts';

type Listener = 'http' | 'https';

/** What the last `try_files` of the gate opens: one location, or the one that the target's path chooses. */
export function leadEntry({ name, parts }: PlannedRoad): string {
  const [only, second] = parts;
  return only !== undefined && second === undefined ? locationOf(only.leads, 0) : `$${variable(name, 'lead')}`;
}

/** Maps of the road, outside its servers: longest prefix first, as the plan has them. */
export function leadMaps({ name, parts }: PlannedRoad): string[] {
  if (parts.length === 1) return [];
  return block(
    `map "$mile_marker_normal$request_uri" $${variable(name, 'lead')}`,
    parts.map(({ prefix, leads }, index) => {
      const pattern = prefix === '/' ? 'default' : prefixPattern(prefix);
      return `${pattern} "${locationOf(leads, index)}";`;
    }),
  );
}

/** A service has two locations: for requests, and for connections that are silent for long by nature. */
function locationOf({ kind }: PlannedLeads, index: number): string {
  return kind === 'service' ? `@lead${String(index)}_$mile_marker_kind` : `@lead${String(index)}`;
}

/** The named locations of all that a road leads to. */
export function leadLocations(plan: Plan, road: PlannedRoad, listener: Listener): string[] {
  return road.parts.flatMap(({ leads }, index) =>
    locations({ plan, road, listener, leads, name: `@lead${String(index)}` }),
  );
}

interface LeadInput {
  plan: Plan;
  road: PlannedRoad;
  listener: Listener;
  leads: PlannedLeads;
  name: string;
}

function locations(input: LeadInput): string[] {
  const { leads, name } = input;
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
    comment('No link is followed below the folder, so none leads out of it.'),
    `disable_symlinks on from=${quote(path)};`,
    'autoindex off;',
    ...block('types', types),
    `default_type ${unknownType};`,
    comment('A folder without its slash: relative links in its page would lead elsewhere.'),
    // One `if` that returns: after any other, nginx forgets the `try_files` below.
    ...block('if (-d $document_root$mile_marker_bare)', [
      `return 307 "${listener}://${authority}$mile_marker_path/$mile_marker_query";`,
    ]),
    'try_files $mile_marker_file =404;',
  ];
}

function serviceLocations(input: LeadInput, upstream: Upstream | null): string[] {
  const { plan, road, name } = input;
  const to = upstream === null ? null : passLines(plan, upstream);
  if (upstream === null || to === null) {
    return ['service', 'live'].flatMap((kind) => block(`location ${name}_${kind}`, ['return 502;']));
  }
  const headers = headerLines(input, upstream);
  return [
    ...block(`location ${name}_service`, [
      ...to,
      'proxy_set_header Connection "";',
      'proxy_set_header Upgrade "";',
      ...headers,
      ...streamLines(plan, road.rules.silenceSeconds),
    ]),
    ...block(`location ${name}_live`, [
      ...to,
      'proxy_set_header Connection upgrade;',
      'proxy_set_header Upgrade websocket;',
      ...headers,
      ...streamLines(plan, Math.max(plan.limits.liveSeconds, road.rules.silenceSeconds)),
    ]),
  ];
}

export function originOf({ scheme, host, port }: Upstream): string {
  return `${scheme}://${withPort(host, port)}`;
}

/** Where to dial, or null when this host lacks what a safe connection needs, or nginx cannot prove what the map asks to be proven. */
function passLines({ host, front }: Plan, upstream: Upstream): string[] | null {
  const tls = upstream.scheme === 'https' ? tlsLines(upstream, host.trustedRoots) : [];
  if (tls === null || (upstream.byName && host.resolvers.length === 0)) return null;
  if (!upstream.byName) return [`proxy_pass ${originOf(upstream)};`, ...tls];
  return [
    comment('Through a variable, so that nginx starts without the name and looks it up again when it moves.'),
    comment('This lookup asks DNS only; /etc/hosts is not read.'),
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
    return [...name, comment('`upstream-insecure`: whoever answers is believed.'), 'proxy_ssl_verify off;'];
  const file = trust.kind === 'ca' ? trust.file : roots;
  if (trust.kind === 'pin' || file === null) return null;
  return [
    ...name,
    'proxy_ssl_verify on;',
    'proxy_ssl_verify_depth 4;',
    `proxy_ssl_trusted_certificate ${quote(file)};`,
  ];
}

function headerLines(input: LeadInput, upstream: Upstream): string[] {
  const { plan, road, listener } = input;
  const own = plan.front.edge?.header ?? null;
  const authority = authorityText(input);
  const set: Record<string, string> = {
    ...(own === null ? {} : { [own]: '$mile_marker_client' }),
    forwarded: quoteThen('for=', `$mile_marker_node;host=\\"${authority}\\";proto=${listener}`),
    'x-forwarded-for': '$mile_marker_client',
    'x-forwarded-host': `"${authority}"`,
    'x-forwarded-port': String(plan.front.ports[listener]),
    'x-forwarded-proto': listener,
    'x-real-ip': '$mile_marker_client',
  };
  return [
    `proxy_set_header Host ${upstream.sayHost === null ? `"${authority}"` : quote(upstream.sayHost)};`,
    ...(hasPeople(road) ? ['proxy_set_header Authorization $mile_marker_authorization;'] : []),
    // An empty value takes the header away; what a stranger wrote never passes.
    ...[...new Set([...forgeable, ...(own === null ? [] : [own])])].map(
      (name) => `proxy_set_header ${headerCase(name)} ${set[name] ?? '""'};`,
    ),
  ];
}

export function hasPeople({ gate }: PlannedRoad): boolean {
  return gate.parts.some(({ people }) => people !== null);
}

const answerHead = `${String(longestAnswerHeadBytes / 1024)}k`;

/** Bytes pass both ways as they come; nginx would hold uploads and event streams back. */
function streamLines({ limits }: Plan, silenceSeconds: number): string[] {
  return [
    'proxy_http_version 1.1;',
    'proxy_redirect off;',
    'proxy_buffering off;',
    // The head alone is held. The second line is for nginx's own rule that these sizes fit together.
    `proxy_buffer_size ${answerHead};`,
    `proxy_buffers 8 ${answerHead};`,
    'proxy_request_buffering off;',
    'proxy_next_upstream off;',
    // A service does not say where else nginx should look, nor how it should send.
    'proxy_ignore_headers X-Accel-Redirect X-Accel-Buffering X-Accel-Charset X-Accel-Limit-Rate;',
    `proxy_connect_timeout ${String(limits.connectSeconds)}s;`,
    `proxy_send_timeout ${String(silenceSeconds)}s;`,
    `proxy_read_timeout ${String(silenceSeconds)}s;`,
  ];
}
