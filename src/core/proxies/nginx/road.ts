import { inUrl, withPort } from '../../networks/address.ts';
import type { Plan, PlannedCertificate, PlannedRoad, Upstream } from '../../plan/plan.ts';
import { covers } from '../../certificates/cover.ts';
import { forgeable } from '../../verdict/verdict.ts';
import { edgeLines, listenLines, sanityLines, tlsFloor } from './front.ts';
import { block, comment, headerCase, ownHeader, quote, quoteThen } from './quote.ts';

/**
 * The file of one road. nginx runs `if` and `return` of a server before access rules, and access rules before
 * `try_files`: so refusals that come before the gate stand in the server, the gate in `location /`, and where the road
 * leads in a named location that only `try_files` opens. A `return` beside the access rules would answer past them.
 */
export function roadFile(plan: Plan, road: PlannedRoad): string {
  const certificate = plan.certificates.find(({ id }) => id === road.certificate);
  const lines = [
    // Without its line in the map: lines move with every edit, and a file must change only when the road does.
    `${ownHeader} for the road ${road.name}.`,
    comment(describe(road)),
    '',
    comment('Plain HTTP: everything goes to HTTPS, the target byte for byte ($request_uri; $uri would decode it).'),
    ...block('server', [
      ...listenLines(plan, 'http'),
      `server_name ${road.name};`,
      'server_tokens off;',
      ...sanityLines,
      ...plainLines(plan, road),
    ]),
    '',
    ...block('server', [
      ...listenLines(plan, 'https', ' ssl'),
      `server_name ${road.name};`,
      'server_tokens off;',
      ...edgeLines(plan),
      `ssl_certificate ${quote(certificate?.certificateFile ?? '')};`,
      `ssl_certificate_key ${quote(certificate?.keyFile ?? '')};`,
      tlsFloor,
      'client_max_body_size 0;',
      comment('A visitor may pause in the middle of an answer, as players do.'),
      `send_timeout ${String(plan.limits.liveSeconds)}s;`,
      ...sanityLines,
      comment(
        'The certificate that was shown must cover this name. Without case: $ssl_server_name keeps what the client wrote.',
      ),
      ...block(`if ($ssl_server_name !~* ${quoteThen(`^(${namePattern(plan, certificate)})\\.?`, '$')})`, [
        'return 421;',
      ]),
      '',
      ...leadsLines(plan, road),
    ]),
    '',
  ];
  return lines.join('\n');
}

/** A pending token is answered before anything is sent on; what is not pending goes the way of all requests. */
function plainLines({ challenges }: Plan, road: PlannedRoad): string[] {
  const onward = `return 308 ${quoteThen(`https://${road.authority}`, '$request_uri')};`;
  if (challenges === null) return [onward];
  return [
    ...block('location ^~ /.well-known/acme-challenge/', [
      ...block('if ($request_method !~ "^(GET|HEAD)$")', [onward]),
      ...block('if ($request_uri !~ "^/\\.well-known/acme-challenge/[A-Za-z0-9_-]+$")', [onward]),
      `root ${quote(`${challenges}/${road.name}`)};`,
      'default_type text/plain;',
      'try_files $uri @onward;',
    ]),
    ...block('location /', ['try_files /dev/null/none @onward;']),
    ...block('location @onward', [onward]),
  ];
}

/**
 * The names for which a certificate is shown, as a pattern; `*` stands for one label (RFC 9525 §6.3). No dollar sign may stand in
 * it: `quote` writes a variable for one, and nginx fills in none here.
 */
function namePattern({ roads }: Plan, certificate: PlannedCertificate | undefined): string {
  const names = certificate?.names ?? [];
  // Names for which another certificate is shown, though this one covers them too.
  const others = roads.filter((road) => road.certificate !== certificate?.id).map(({ name }) => name);
  return names
    .filter((name) => !others.includes(name))
    .map((name) => {
      const apart = others.filter((other) => name.startsWith('*.') && covers([name], other)).map(escapeDots);
      const without = apart.length === 0 ? '' : `(?!(?:${apart.join('|')})\\.?\\z)`;
      return `${without}${escapeDots(name).replace(/^\*/, '[^.]+')}`;
    })
    .join('|');
}

function escapeDots(name: string): string {
  return name.replace(/\./g, '\\.');
}

function describe({ leads, gate, paused }: PlannedRoad): string {
  if (paused) return 'Paused.';
  if (leads.kind === 'redirect') return `Redirects to ${leads.url}. Gate: ${gate.name}.`;
  if (leads.upstream === null) return `Leads nowhere yet. Gate: ${gate.name}.`;
  return `Leads to ${originOf(leads.upstream)}: ${leads.upstream.why}. Gate: ${gate.name}.`;
}

function originOf({ scheme, host, port }: Upstream): string {
  return `${scheme}://${withPort(host, port)}`;
}

function leadsLines(plan: Plan, road: PlannedRoad): string[] {
  const { leads } = road;
  if (road.paused) return [comment('Paused on the map.'), 'return 503;'];
  // Nothing lies below /dev/null, so `try_files` always goes on to the named location.
  const gate = (next: string): string[] =>
    block('location /', [...gateLines(road), `try_files /dev/null/none ${next};`]);
  if (leads.kind === 'redirect') {
    const to = `return ${String(leads.status)} ${quoteThen(leads.url, '$request_uri')};`;
    return [...gate('@redirect'), ...block('location @redirect', [to])];
  }
  const to = leads.upstream === null ? null : passLines(plan, leads.upstream);
  if (to === null) return [...gate('@nowhere'), ...block('location @nowhere', ['return 502;'])];
  const { silenceSeconds, liveSeconds } = plan.limits;
  return [
    ...gate('$mile_marker_stretch'),
    ...block('location @service', [
      ...to,
      'proxy_set_header Connection "";',
      'proxy_set_header Upgrade "";',
      ...headerLines(plan, road),
      ...streamLines(plan, silenceSeconds),
    ]),
    ...block('location @live', [
      ...to,
      'proxy_set_header Connection upgrade;',
      'proxy_set_header Upgrade websocket;',
      ...headerLines(plan, road),
      ...streamLines(plan, liveSeconds),
    ]),
  ];
}

function gateLines({ gate }: PlannedRoad): string[] {
  if (gate.networks === null) return [];
  const { networks, except } = gate.networks;
  return [
    ...except.map((address) => `deny ${address};`),
    ...networks.map((network) => `allow ${network};`),
    'deny all;',
  ];
}

/** Where to dial, or null when this host lacks what a safe connection needs. */
function passLines({ host, front }: Plan, upstream: Upstream): string[] | null {
  if (upstream.scheme === 'https' && host.trustedRoots === null) return null;
  if (upstream.byName && host.resolvers.length === 0) return null;
  const tls = upstream.scheme === 'https' ? tlsLines(upstream, host.trustedRoots ?? '') : [];
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

/** `proxy_ssl_verify` is off by default, and the name is not sent by default. */
function tlsLines({ verifyAs }: Upstream, trustedRoots: string): string[] {
  return [
    'proxy_ssl_server_name on;',
    `proxy_ssl_name ${quote(verifyAs ?? '')};`,
    'proxy_ssl_verify on;',
    'proxy_ssl_verify_depth 4;',
    `proxy_ssl_trusted_certificate ${quote(trustedRoots)};`,
  ];
}

function headerLines(plan: Plan, { authority }: PlannedRoad): string[] {
  const own = plan.front.edge?.header ?? null;
  const set: Record<string, string> = {
    ...(own === null ? {} : { [own]: '$remote_addr' }),
    'x-forwarded-for': '$remote_addr',
    'x-forwarded-host': quote(authority),
    'x-forwarded-port': String(plan.front.ports.https),
    'x-forwarded-proto': 'https',
  };
  return [
    `proxy_set_header Host ${quote(authority)};`,
    // An empty value takes the header away; what a stranger wrote never passes.
    ...[...new Set([...forgeable, ...(own === null ? [] : [own])])].map(
      (name) => `proxy_set_header ${headerCase(name)} ${set[name] ?? '""'};`,
    ),
  ];
}

/** Bytes pass both ways as they come; nginx would hold uploads and event streams back. */
function streamLines({ limits }: Plan, silenceSeconds: number): string[] {
  return [
    'proxy_http_version 1.1;',
    'proxy_redirect off;',
    'proxy_buffering off;',
    'proxy_request_buffering off;',
    'proxy_next_upstream off;',
    `proxy_connect_timeout ${String(limits.connectSeconds)}s;`,
    `proxy_send_timeout ${String(silenceSeconds)}s;`,
    `proxy_read_timeout ${String(silenceSeconds)}s;`,
  ];
}
