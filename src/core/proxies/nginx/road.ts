import type { Plan, PlannedCertificate, PlannedLeads, PlannedRoad } from '../../plan/plan.ts';
import { covers } from '../../certificates/cover.ts';
import { isWildcard } from '../../names/wildcard.ts';
import { dialledParts } from '../../plan/parts.ts';
import { addHeader, answerLines, answerMaps, hiddenLines, methodLines } from './answer-lines.ts';
import { edgeLines, listenLines, tlsFloor } from './front.ts';
import { gateLocations, gateMaps } from './gate-lines.ts';
import {
  hasPeople,
  keptConnections,
  leadEntry,
  leadLocations,
  leadMaps,
  originOf,
  serviceHeaderLines,
  shortWay,
} from './lead-lines.ts';
import { proxyingLine } from './proxying.ts';
import { servingLine } from './serving.ts';
import { block, comment, escapePattern, namedText, oneLabel, ownHeader, pattern, quote, serverName } from './quote.ts';

/**
 * The file of one road. nginx runs `if` and `return` of a server before access rules, and access rules before
 * `try_files`: so refusals that come before the gate stand in the server, the gate in locations, and where the road leads in a named
 * location that only `try_files` opens. A `return` beside the access rules would answer past them.
 */
export function roadFile(plan: Plan, road: PlannedRoad, current: string): string {
  const certificate = plan.certificates.find(({ id }) => id === road.certificate);
  const lines = [
    // Without its line in the map: lines move with every edit, and a file must change only when the road does.
    `${ownHeader} for the road ${road.name}.`,
    ...describe(road).map(comment),
    ...(road.paused ? [] : [...keptConnections(road), ...gateMaps(road, leadEntry(road)), ...leadMaps(road)]),
    ...answerMaps(road),
    '',
    ...plainServer(plan, road, current),
    '',
    ...block('server', [
      ...listenLines(plan, 'https', ' ssl http2'),
      `server_name ${serverName(road.name)};`,
      servingLine(current),
      ...edgeLines(plan),
      `ssl_certificate ${quote(certificate?.certificateFile ?? '')};`,
      `ssl_certificate_key ${quote(certificate?.keyFile ?? '')};`,
      ...tlsFloor,
      ...logLines(road),
      ...hiddenLines(road),
      ...answerLines(road, 'https'),
      comment(
        'The certificate that was shown must cover this name. Without case: $ssl_server_name keeps what the client wrote.',
      ),
      ...block(`if ($ssl_server_name !~* ${pattern(`^(?:${namePattern(plan, certificate)})\\.?$`)})`, ['return 421;']),
      '',
      ...wayLines({ plan, road, current, listener: 'https' }, '/'),
    ]),
    '',
  ];
  return lines.join('\n');
}

function plainServer(plan: Plan, road: PlannedRoad, current: string): string[] {
  const { plain } = road.rules;
  const common = [...listenLines(plan, 'http'), `server_name ${serverName(road.name)};`, servingLine(current)];
  if (plain) {
    return [
      comment('Plain HTTP too, as the map says.'),
      ...block('server', [
        ...common,
        ...edgeLines(plan),
        ...logLines(road),
        ...hiddenLines(road),
        ...answerLines(road, 'http'),
        ...challengeLines(plan, road),
        ...wayLines({ plan, road, current, listener: 'http' }, mayBeProven(plan, road) ? '@onward' : '/'),
      ]),
    ];
  }
  const onward = `return 308 "https://${namedText(road.authority, road)}$request_uri";`;
  return [
    comment('Plain HTTP: everything goes to HTTPS, the target byte for byte ($request_uri; $uri would decode it).'),
    ...block('server', [
      ...common,
      'client_max_body_size 0;',
      addHeader('Allow', '$mile_marker_allow'),
      ...logLines(road),
      ...(!mayBeProven(plan, road)
        ? [onward]
        : [...challengeLines(plan, road), ...block('location @onward', [onward])]),
    ]),
  ];
}

/** `combined` is a format that nginx knows by itself. */
function logLines({ rules: { log } }: PlannedRoad): string[] {
  if (log === null) return [];
  return [log === false ? 'access_log off;' : `access_log ${quote(log)} combined;`];
}

/** A wildcard is proven by DNS only (RFC 8555 §7.1.3). */
function mayBeProven({ challenges }: Plan, { name }: PlannedRoad): boolean {
  return challenges !== null && !isWildcard(name);
}

/** A pending token is answered before anything is sent on; what is not pending goes the way of all requests. */
function challengeLines(plan: Plan, road: PlannedRoad): string[] {
  if (!mayBeProven(plan, road)) return [];
  const onward = 'try_files /dev/null/none @onward;';
  return [
    ...block('location ^~ /.well-known/acme-challenge/', [
      `root ${quote(`${plan.challenges ?? ''}/${road.name}`)};`,
      `disable_symlinks on from=${quote(`${plan.challenges ?? ''}/${road.name}`)};`,
      'default_type text/plain;',
      'open_file_cache off;',
      'try_files $mile_marker_token @onward;',
    ]),
    ...block('location /', [onward]),
  ];
}

/** From the step `paused` on, in the order of the verdict. @param entry the first location of the road's own way */
function wayLines(of: Parameters<typeof leadLocations>[0], entry: string): string[] {
  const { road, current } = of;
  if (road.paused) {
    const off = [comment('Paused on the map.'), 'return 503;'];
    return ['client_max_body_size 0;', ...(entry === '/' ? off : block(`location ${entry}`, off))];
  }
  const { bodyLimitBytes } = road.rules;
  return [
    `client_max_body_size ${String(bodyLimitBytes ?? 0)};`,
    ...(hasPeople(road) ? ['set $mile_marker_authorization $http_authorization;'] : []),
    ...(dialledParts([road]).length === 0 ? [] : [proxyingLine(current), ...serviceHeaderLines(of)]),
    ...(shortWay(of, entry) ?? [
      ...gateLocations({ road, entry, next: leadEntry(road), refusals: methodLines(road) }),
      ...leadLocations(of),
    ]),
  ];
}

/** The names for which a certificate is shown, as a pattern. */
function namePattern({ roads }: Plan, certificate: PlannedCertificate | undefined): string {
  if (certificate === undefined) return '';
  const namesOf = (shown: boolean): string[] =>
    roads.filter((road) => (road.certificate === certificate.id) === shown).map(({ name }) => name);
  // Names for which another certificate is shown, though this one covers them too.
  const others = namesOf(false);
  const names = certificate.names.filter((name) => !others.includes(name));
  // All other names may show another wildcard than the one that a name of its own shows.
  const alone = namesOf(true).filter((name) => !names.includes(name) && !covers(names, name));
  return [...names, ...alone]
    .map((name) => {
      if (!isWildcard(name)) return escapePattern(name);
      const apart = others.filter((other) => covers([name], other)).map(escapePattern);
      const without = apart.length === 0 ? '' : `(?!(?:${apart.join('|')})\\.?$)`;
      return `${without}${oneLabel}${escapePattern(name.slice(1))}`;
    })
    .join('|');
}

function describe({ parts, gate, paused }: PlannedRoad): string[] {
  if (paused) return ['Paused.'];
  return [
    ...[...parts].reverse().map(({ prefix, leads }) => `${prefix === '/' ? '' : `${prefix}: `}${describeLeads(leads)}`),
    `Gate: ${gate.name}.`,
  ];
}

function describeLeads(leads: PlannedLeads): string {
  if (leads.kind === 'redirect') return `Redirects to ${leads.url}.`;
  if (leads.kind === 'folder') return `Shows the folder ${leads.path}.`;
  return leads.upstream === null
    ? 'Leads nowhere yet.'
    : `Leads to ${originOf(leads.upstream)}: ${leads.upstream.why}.`;
}
