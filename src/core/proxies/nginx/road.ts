import { asksFor } from '../../gates/check.ts';
import type { Plan, PlannedRoad } from '../../plan/plan.ts';
import { isWildcard } from '../../names/wildcard.ts';
import { dialledParts } from '../../plan/parts.ts';
import { addHeader, answerLines, answerMaps, hiddenLines, methodLines } from './answer-lines.ts';
import type { Placement } from '../renderer.ts';
import { edgeLines, listenLines, secureListenLines, tlsFloor } from './front.ts';
import { gateLocations, gateMaps } from './gate-lines.ts';
import { leadEntry, leadLocations, leadMaps, serviceGroups, serviceHeaderLines, shortWay } from './lead-lines.ts';
import { deviceLines } from './devices.ts';
import { proxyingLine } from './proxying.ts';
import { leadsWords } from '../leads-words.ts';
import { pageLocations, returnLines } from './pages.ts';
import { servingLine } from './serving.ts';
import { block, comment, namedText, ownHeader, pattern, quote, serverName } from './quote.ts';
import { indexed } from '../../indexed.ts';
import { asCrowd, crowdMaps, isMovable, type Crowd, type Layout } from './crowds.ts';
import { crowdName } from './crowd-name.ts';
import { shownPattern } from '../shown-pattern.ts';

/**
 * The file of one road. nginx runs `if` and `return` of a server before access rules, and access rules before
 * `try_files`: so refusals that come before the gate stand in the server, the gate in locations, and where the road leads in a named
 * location that only `try_files` opens. A `return` beside the access rules would answer past them.
 */
export function roadFile(plan: Plan, road: PlannedRoad, placement: Place, layout: Layout): string {
  return fileOf({ plan, road, ...placement, layout, crowd: null }, [
    // Without its line in the map: lines move with every edit, and a file must change only when the road does.
    `${ownHeader} for the road ${road.name}.`,
  ]);
}

/** The file of roads that one server serves: where each leads, and what they have in common. */
export function crowdFile(plan: Plan, crowd: Crowd, placement: Place): string {
  const { road, members } = crowd;
  return fileOf({ plan, road, ...placement, layout: 'crowds', crowd }, [
    `${ownHeader} for ${String(members.length)} roads that differ only in this.`,
    ...crowdMaps(crowd),
  ]);
}

type Place = Pick<Placement, 'current' | 'version'>;

interface Subject extends Place {
  plan: Plan;
  road: PlannedRoad;
  layout: Layout;
  crowd: Crowd | null;
}

function fileOf(subject: Subject, head: readonly string[]): string {
  const { plan, road, current, layout, version } = subject;
  const certificate = indexed(plan.certificates, 'id').get(road.certificate);
  const entry = leadEntry(road, layout);
  const lines = [
    ...head,
    ...leadsWords(road, told(subject)).map(comment),
    ...(road.paused ? [] : [...serviceGroups(road, layout), ...gateMaps(plan, road, entry), ...leadMaps(road, layout)]),
    ...answerMaps(road),
    '',
    ...(isOnward(road, layout) ? [] : [...plainServer(subject), '']),
    ...block('server', [
      ...secureListenLines(plan, version),
      ...nameLines(subject),
      servingLine(current),
      ...edgeLines(plan),
      `ssl_certificate ${quote(certificate?.certificateFile ?? '')};`,
      `ssl_certificate_key ${quote(certificate?.keyFile ?? '')};`,
      ...tlsFloor,
      ...logLines(road),
      ...hiddenLines(road),
      ...answerLines(road, 'https'),
      comment(
        'The certificate of this connection must cover the name. Without case: $ssl_server_name keeps what the client wrote.',
      ),
      ...block(`if ($ssl_server_name !~* ${pattern(`^(?:${shownPattern(plan, certificate)})\\.?$`)})`, ['return 421;']),
      ...deviceLines(plan, road),
      '',
      ...wayLines({ ...subject, listener: 'https' }, '/'),
    ]),
    '',
  ];
  return lines.join('\n');
}

function nameLines({ road, crowd }: Subject): string[] {
  return (crowd?.members ?? [road]).map(({ name }) => `server_name ${serverName(name)};`);
}

/** In a large map, roads whose plain HTTP is like that of all others have one server for it. */
function isOnward({ rules, name }: PlannedRoad, layout: Layout): boolean {
  return layout === 'crowds' && !rules.plain && rules.log === null && !isWildcard(name);
}

/** Plain HTTP of a large map: of all roads whose answers there are alike. */
export function onwardFile(plan: Plan, current: string): string {
  const members = plan.roads.filter((road) => isOnward(road, 'crowds'));
  const [first] = members;
  if (first === undefined) return `${ownHeader}: no road is served here.\n`;
  const crowd = { road: asCrowd(first, crowdName('onward')), members };
  const lines = plainServer({ plan, road: crowd.road, current, layout: 'crowds', crowd });
  return [`${ownHeader} for plain HTTP.`, ...lines, ''].join('\n');
}

function plainServer(subject: Subject): string[] {
  const { plan, road, current } = subject;
  const { plain } = road.rules;
  const common = [...listenLines(plan, 'http'), ...nameLines(subject), servingLine(current)];
  if (plain) {
    return [
      comment('Also plain HTTP, as the map says.'),
      ...block('server', [
        ...common,
        ...edgeLines(plan),
        ...logLines(road),
        ...hiddenLines(road),
        ...answerLines(road, 'http'),
        ...challengeLines(plan, road),
        ...wayLines({ ...subject, listener: 'http' }, mayBeProven(plan, road) ? '@onward' : '/'),
      ]),
    ];
  }
  const onward = `return 308 "https://${namedText(road.authority, road)}$request_uri";`;
  return [
    comment('Redirects everything to HTTPS. The target stays byte for byte ($request_uri; $uri would decode it).'),
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
  const folder = namedText(`${plan.challenges ?? ''}/${road.name}`, road);
  return [
    ...block('location ^~ /.well-known/acme-challenge/', [
      `root "${folder}";`,
      // A quote means something at the beginning of a word alone.
      `disable_symlinks on "from=${folder}";`,
      'default_type text/plain;',
      'open_file_cache off;',
      'try_files $mile_marker_token @onward;',
    ]),
    ...block('location /', [onward]),
  ];
}

/** From the step `paused` on, in the order of the verdict. @param entry the first location of the road's own way */
function wayLines(of: Parameters<typeof leadLocations>[0], entry: string): string[] {
  const { plan, road, current } = of;
  if (road.paused) {
    const off = [comment('Paused on the map.'), ...returnLines(plan, 'paused', 503)];
    return ['client_max_body_size 0;', ...(entry === '/' ? off : block(`location ${entry}`, off))];
  }
  const { bodyLimitBytes } = road.rules;
  return [
    `client_max_body_size ${String(bodyLimitBytes ?? 0)};`,
    ...(dialledParts([road]).length === 0 && !asksFor(road.gate, 'asks')
      ? []
      : [proxyingLine(current), ...serviceHeaderLines(of)]),
    ...(shortWay(of, entry) ?? [
      ...gateLocations({ ...of, entry, next: leadEntry(road, of.layout), refusals: methodLines(road) }),
      ...leadLocations(of),
    ]),
    ...pageLocations(plan, ['refused', 'down']),
  ];
}

/** Where each of a crowd leads stands there already. */
function told({ road: { parts }, crowd }: Subject): PlannedRoad['parts'] {
  return parts.filter(({ leads }) => crowd === null || !isMovable(leads));
}
