import { isWildcard } from '../../names/wildcard.ts';
import { inUrl, withPort } from '../../networks/address.ts';
import type { Plan } from '../../plan/plan.ts';
import {
  idleSeconds,
  longestHeadBytes,
  modernSuites,
  mostHeaderLines,
  slowBodySeconds,
  slowHeadSeconds,
} from '../../front-limits.ts';
import { abnormal } from '../pattern.ts';
import { bindWords } from './devices.ts';
import { loadLines } from './asking.ts';
import { answerLines, originLines, requestLines } from './passing.ts';
import { pageWords } from './pages.ts';
import { sanityLines } from './sanity.ts';
import { comment, escapeFormat, ownHeader, quote, quoteFormat, section } from './quote.ts';
import { visitorLines } from './visitor.ts';

export const frontPath = '00-front.cfg';

/** What all roads share: the two listeners, and what strangers get. */
export function frontFile(plan: Plan, current: string): string {
  const { front, host, limits } = plan;
  return [
    `${ownHeader} (map ${plan.identity}) from your map. Do not edit it: \`mile-marker write\` replaces it.`,
    comment('Load this folder into haproxy: add -f FOLDER after its other files.'),
    '',
    ...section('global', [
      comment(
        'A request or answer head must fit, with eight bytes per line. Larger buffers cost time: requests that may be repeated are copied whole.',
      ),
      `tune.bufsize ${String(longestHeadBytes + mostHeaderLines * 8 + 2048)}`,
      `tune.http.maxhdr ${String(mostHeaderLines * 4)}`,
      comment('No session resumption: a resumed session would keep the certificate of the name that began it.'),
      'tune.ssl.cachesize 0',
      ...loadLines(plan, current),
      ...socketLines(plan),
    ]),
    ...section(`defaults ${defaultsName}`, [
      'mode http',
      'option http-keep-alive',
      'option dontlognull',
      comment(
        'Repeats a request once if the service closes a kept connection under it, and if that is safe. A service that is down is reported at once, without retries.',
      ),
      'retries 1',
      'retry-on empty-response',
      `timeout connect ${String(limits.connectSeconds)}s`,
      `timeout http-request ${String(slowHeadSeconds)}s`,
      `timeout http-keep-alive ${String(idleSeconds)}s`,
      `timeout client ${String(slowBodySeconds)}s`,
      `timeout server ${String(limits.silenceSeconds)}s`,
      `timeout tunnel ${String(limits.liveSeconds)}s`,
    ]),
    ...resolverLines(plan, host.resolvers),
    ...section(`frontend mile-marker-https from ${defaultsName}`, [
      ...front.listen.addresses.map(
        (address) =>
          `bind ${bindAddress(address, front.listen.https)} ssl crt-list ${quote(`${current}/certificates.list`)} strict-sni alpn h2,http/1.1 ssl-min-ver TLSv1.2 no-tls-tickets ciphers ${modernSuites.join(':')}${bindWords(plan)}`,
      ),
      ...visitorLines(plan),
      ...sanityLines(),
      ...nameLines(plan, current, 'https'),
      ...strangerLines(plan, current),
      ...shownLines(plan, current),
      ...normalLines(),
      ...originLines(),
      ...requestLines(plan, 'https'),
      'use_backend %[var(txn.road)]',
      ...answerLines(),
    ]),
    ...section(`frontend mile-marker-http from ${defaultsName}`, [
      ...front.listen.addresses.map((address) => `bind ${bindAddress(address, front.listen.http)}`),
      ...visitorLines(plan),
      ...sanityLines(),
      ...nameLines(plan, current, 'http'),
      ...challengeLines(plan),
      ...strangerLines(plan, current),
      comment('Redirects everything to HTTPS. The target stays byte for byte.'),
      `http-request redirect location ${quote(`https://%[var(txn.name)]${escapeFormat(outsidePort(plan))}%[pathq]`)} code 308 if { var(txn.road) -m str onward }`,
      ...normalLines(),
      ...originLines(),
      ...requestLines(plan, 'http'),
      'use_backend %[var(txn.road)]',
      ...answerLines(),
    ]),
  ].join('\n');
}

/** Pending tokens, as `NAME/TOKEN ANSWER`: read at the start, and told over the socket while it runs. */
export function pendingMap(challenges: string): string {
  return `${challenges}/pending.map`;
}

/** Where a running haproxy takes what changes between reloads (management guide §9.3); null where nothing does. Paths of sockets are short (unix(7)). */
export function socketPath({ challenges }: Plan): string | null {
  const path = `${challenges ?? ''}/haproxy.sock`;
  return challenges === null || path.length > 90 ? null : path;
}

function socketLines(plan: Plan): string[] {
  const path = socketPath(plan);
  return path === null
    ? []
    : [
        comment('Mile Marker sets pending challenges through this socket.'),
        `stats socket ${quote(path)} mode 600 level admin`,
      ];
}

/** A pending token of an authority (RFC 8555 §8.3). */
function challengeLines({ challenges }: Plan): string[] {
  if (challenges === null) return [];
  const prefix = '/\\.well-known/acme-challenge/';
  return [
    comment('Pending ACME challenges.'),
    `acl asks-token pathq -m reg ${quote(`^${prefix.replaceAll('\\\\', '\\')}[A-Za-z0-9_-]{1,200}$`)}`,
    `http-request set-var-fmt(txn.token) ${quote(`%[var(txn.name)]/%[pathq,regsub("^${prefix}","")]`)} if { method GET HEAD } asks-token { var(txn.road) -m found }`,
    `http-request set-var(txn.proof) ${quote(`var(txn.token),map(${pendingMap(challenges)})`)} if { var(txn.token) -m found }`,
    "http-request return status 200 content-type text/plain lf-string '%[var(txn.proof)]' if { var(txn.proof) -m found }",
  ];
}

export const defaultsName = 'mile-marker';
export const resolversName = 'mile-marker';

/** Where it listens, as behind `bind`. */
export function bindAddress(address: string, port: number): string {
  // Without this an IPv6 wildcard would take IPv4 too, which has a line of its own.
  return `${inUrl(address)}:${String(port)}${address === '::' ? ' v6only' : ''}`;
}

function outsidePort({ front }: Plan): string {
  return front.ports.https === 443 ? '' : `:${String(front.ports.https)}`;
}

function resolverLines(plan: Plan, resolvers: readonly string[]): string[] {
  const isByName =
    plan.ports.some(({ to }) => to?.byName === true) ||
    plan.roads.some(({ parts }) =>
      parts.some(({ leads }) => leads.kind === 'service' && leads.upstream?.byName === true),
    );
  if (!isByName || resolvers.length === 0) return [];
  return section(`resolvers ${resolversName}`, [
    comment(
      'Looks up the names of services at run time: haproxy starts without them, and follows when they move. DNS only, not /etc/hosts.',
    ),
    ...resolvers.map((address, index) => `nameserver r${String(index)} ${withPort(address, 53)}`),
    `hold valid ${plan.front.container === null ? '30s' : '1s'}`,
    'resolve_retries 3',
    'timeout resolve 1s',
    'timeout retry 1s',
  ]);
}

/** The name that is asked for in comparable form, and the section of its road. */
function nameLines({ roads }: Plan, current: string, listener: 'http' | 'https'): string[] {
  const plain = listener === 'http' ? '-plain' : '';
  const map = (file: string): string => `map(${current}/${file})`;
  const below = `http-request set-var(txn.road) ${quote(`var(txn.name),regsub("^[0-9a-z_-]+\\.",""),${map(`names-below${plain}.map`)}`)} if !{ var(txn.road) -m found } { var(txn.name) -m reg ${quote('^[0-9a-z_-]+\\.')} }`;
  return [
    comment('The requested name in lower case, without port and final dot.'),
    'http-request set-var(txn.name) req.fhdr(host),host_only,lower',
    `http-request set-var(txn.name) ${quote('var(txn.name),regsub("\\.$","")')} if { var(txn.name) -m end . }`,
    `http-request set-var(txn.road) ${quote(`var(txn.name),${map(`names${plain}.map`)}`)}`,
    ...(roads.some(({ name }) => isWildcard(name)) ? [below] : []),
  ];
}

/** Names that are not on the map. */
function strangerLines(plan: Plan, current: string): string[] {
  const { unknown } = plan.front;
  const stranger = 'if !{ var(txn.road) -m found }';
  switch (unknown.act) {
    case 'refuse':
      return [
        comment(
          'Names that are not on the map. HTTP/2 shares a connection between names; 421 makes the visitor open another (RFC 9110 §15.5.20).',
        ),
        'http-request return status 421 if HTTP_2.0 !{ var(txn.road) -m found }',
        `http-request reject ${stranger}`,
      ];
    case 'not-found':
      return [`http-request return status 404${pageWords(plan, current, 'unknown')} ${stranger}`];
    case 'redirect':
      return [`http-request redirect location ${quoteFormat(unknown.url)} code 307 ${stranger}`];
  }
}

/** The certificate that the handshake showed, for the sections of roads to compare with theirs. */
function shownLines({ certificates }: Plan, current: string): string[] {
  const below = `http-request set-var(txn.shown) ${quote(`var(txn.sni),regsub("^[0-9a-z_-]+\\.",""),map(${current}/shown-below.map)`)} if !{ var(txn.shown) -m found } { var(txn.sni) -m reg ${quote('^[0-9a-z_-]+\\.')} }`;
  return [
    comment('The certificate that this connection got.'),
    'http-request set-var(txn.sni) ssl_fc_sni,lower',
    `http-request set-var(txn.sni) ${quote('var(txn.sni),regsub("\\.$","")')} if { var(txn.sni) -m end . }`,
    `http-request set-var(txn.shown) ${quote(`var(txn.sni),map(${current}/shown.map)`)}`,
    ...(certificates.some(({ names }) => names.some(isWildcard)) ? [below] : []),
  ];
}

/** A path that is not in normal form matches no prefix. */
function normalLines(): string[] {
  return [`http-request set-var(txn.normal) bool(true) if !{ path -m reg ${quote(abnormal)} }`];
}

/** The mark is a listener of its own on the machine itself. */
export function markFile({ front }: Plan, mark: string): string {
  return [
    `${ownHeader}.`,
    comment('Answers with the edition that this haproxy runs. A successful reload is no proof.'),
    ...section(`frontend mile-marker-mark from ${defaultsName}`, [
      `bind ${bindAddress(front.mark.address, front.mark.port)}`,
      `http-request return status 200 content-type text/plain string ${quote(mark)} if { path /mark }`,
      'http-request return status 404',
    ]),
  ].join('\n');
}
