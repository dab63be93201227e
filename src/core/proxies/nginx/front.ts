import { isWildcard } from '../../names/wildcard.ts';
import { withPort } from '../../networks/address.ts';
import type { Plan, PlannedRoad } from '../../plan/plan.ts';
import { modernSuites } from '../../front-limits.ts';
import { indexed } from '../../indexed.ts';
import { servingLine } from './serving.ts';
import type { Placement } from '../renderer.ts';
import { isSince } from '../version.ts';
import { roadFileName } from '../road-file.ts';
import { headerCase } from '../header-case.ts';
import { block, comment, dollarVariable, ownHeader, quote, serverName } from './quote.ts';
import { pageMaps, returnLines } from './pages.ts';
import { sharedMaps } from './shared-maps.ts';

/** The entry file: what all roads share, what strangers get, and an include for each file of roads. */
export function frontFile(
  plan: Plan,
  { current, version }: Pick<Placement, 'current' | 'version'>,
  files: readonly string[],
): string {
  const lines = [
    `${ownHeader} from your map. Do not edit it: \`mile-marker write\` replaces it.`,
    comment('Include this inside `http { }` of your nginx configuration.'),
    '',
    dollarVariable,
    '',
    ...sharedMaps(plan),
    ...pageMaps(plan),
    '',
    ...hashLines(plan),
    comment('Names that are not on the map.'),
    ...block('server', [
      ...listenLines(plan, 'http', ' default_server'),
      'server_name _;',
      servingLine(current),
      ...strangerLines(plan),
    ]),
    ...block('server', [
      ...secureListenLines(plan, version, ' default_server'),
      'server_name _;',
      comment('nginx reads request heads with the limits of the default server.'),
      servingLine(current),
      'ssl_reject_handshake on;',
      comment(
        'The default server decides the protocols of every name on these addresses; the default of nginx 1.22 leaves out TLS 1.3.',
      ),
      ...tlsFloor,
      ...strangerLines(plan),
    ]),
    ...wildcardStrangers(plan, current, version),
    '',
    `include ${quote(`${current}/mark.conf`)};`,
    ...files.map((path) => `include ${quote(`${current}/${path}`)};`),
    '',
  ];
  return lines.join('\n');
}

/** Path of a road's file. */
export function roadPath(plan: Plan, road: PlannedRoad): string {
  return `roads/${roadFileName(plan, road)}.conf`;
}

/**
 * RFC 8996: TLS 1.0 and 1.1 are not to be used. RFC 9325 §4.2: of TLS 1.2 only suites with forward secrecy and authenticated
 * encryption; the client chooses among them, since it knows what its hardware does well. No tickets: nginx keeps one key for them
 * as long as it runs.
 */
export const tlsFloor: readonly string[] = [
  'ssl_protocols TLSv1.2 TLSv1.3;',
  `ssl_ciphers ${modernSuites.join(':')};`,
  'ssl_prefer_server_ciphers off;',
  'ssl_session_tickets off;',
];

/** `listen` lines for one of the two listeners. An IPv6 wildcard takes IPv6 only, which is nginx's default. */
export function listenLines(plan: Plan, listener: 'http' | 'https', extra = ''): string[] {
  const { addresses } = plan.front.listen;
  return addresses.map((address) => `listen ${withPort(address, plan.front.listen[listener])}${extra};`);
}

/** The same with TLS and HTTP/2, in a server with names; from 1.25.1 on nginx warns of each `listen` that says HTTP/2. */
export function secureListenLines(plan: Plan, version: Placement['version'], extra = ''): string[] {
  return isSince(version, '1.25.1')
    ? [...listenLines(plan, 'https', ` ssl${extra}`), 'http2 on;']
    : listenLines(plan, 'https', ` ssl http2${extra}`);
}

/** The visitor's own address, believed from the edge only; of a list only what the edge wrote (ngx_http_realip_module). */
export function edgeLines({ front: { edge } }: Plan): string[] {
  if (edge === null) return [];
  return [
    ...edge.networks.map((network) => `set_real_ip_from ${network};`),
    // Only when written like this does nginx read every line of X-Forwarded-For, and not the first, which may be a stranger's.
    `real_ip_header ${headerCase(edge.header)};`,
    'real_ip_recursive on;',
  ];
}

/** Strangers whose names a certificate with a wildcard covers can be answered. */
function wildcardStrangers(plan: Plan, current: string, version: Placement['version']): string[] {
  if (plan.front.unknown.act === 'refuse') return [];
  const taken = indexed(plan.roads, 'name');
  return plan.certificates
    .filter(({ names }) => names.some(isWildcard))
    .flatMap(({ names, certificateFile, keyFile }) =>
      names
        .filter((name) => !taken.has(name))
        .flatMap((name) =>
          block('server', [
            ...secureListenLines(plan, version),
            `server_name ${serverName(name)};`,
            servingLine(current),
            `ssl_certificate ${quote(certificateFile)};`,
            `ssl_certificate_key ${quote(keyFile)};`,
            ...tlsFloor,
            ...strangerLines(plan),
          ]),
        ),
    );
}

function strangerLines(plan: Plan): string[] {
  const { front } = plan;
  switch (front.unknown.act) {
    case 'refuse':
      return [
        comment('HTTP/2 shares a connection between names; 421 makes the visitor open another (RFC 9110 §15.5.20).'),
        ...block('if ($server_protocol = HTTP/2.0)', ['return 421;']),
        comment('444 closes the connection without a byte.'),
        'return 444;',
      ];
    case 'not-found':
      return returnLines(plan, 'unknown', 404);
    case 'redirect':
      return [`return 307 ${quote(front.unknown.url)};`];
  }
}

/** nginx refuses to start when a name does not fit its hash table. Written only where needed: a second setting is an error. */
function hashLines({ roads }: Plan): string[] {
  const longest = Math.max(0, ...roads.map(({ name }) => name.length));
  const lines: string[] = [];
  if (longest > 40) lines.push('server_names_hash_bucket_size 512;');
  if (roads.length > 250) lines.push(`server_names_hash_max_size ${String(roads.length * 8)};`);
  if (roads.length > 4) {
    lines.push('variables_hash_bucket_size 128;', `variables_hash_max_size ${String(2048 + roads.length * 32)};`);
  }
  return lines.length === 0 ? [] : [comment('Room for the names of this map.'), ...lines, ''];
}
