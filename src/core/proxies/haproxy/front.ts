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
} from '../hardening.ts';
import { abnormal } from '../pattern.ts';
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
    comment('Have haproxy read this folder: -f FOLDER behind its other files.'),
    '',
    ...section('global', [
      comment(
        'A head of a request or an answer has to fit, with eight bytes for each line. Room costs: what may be sent twice is copied whole.',
      ),
      `tune.bufsize ${String(longestHeadBytes + mostHeaderLines * 8 + 2048)}`,
      `tune.http.maxhdr ${String(mostHeaderLines * 4)}`,
      comment('Every handshake is a whole one: a session taken up again would bring the road that began it.'),
      'tune.ssl.cachesize 0',
      ...socketLines(plan),
    ]),
    ...section(`defaults ${defaultsName}`, [
      'mode http',
      'option http-keep-alive',
      'option dontlognull',
      comment(
        'A kept connection that its service closes under a request: once more, where that is safe. A service that is down is said to be down at once.',
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
          `bind ${bindAddress(address, front.listen.https)} ssl crt-list ${quote(`${current}/certificates.list`)} strict-sni alpn h2,http/1.1 ssl-min-ver TLSv1.2 no-tls-tickets ciphers ${modernSuites.join(':')}`,
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
      comment('Everything goes to HTTPS, the target byte for byte.'),
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
    : [comment('By it pending challenges are told.'), `stats socket ${quote(path)} mode 600 level admin`];
}

/** 4. A pending token of an authority (RFC 8555 §8.3). */
function challengeLines({ challenges }: Plan): string[] {
  if (challenges === null) return [];
  const prefix = '/\\.well-known/acme-challenge/';
  return [
    comment('Pending challenges of an authority.'),
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
      'Names of services are looked up again, so that haproxy starts without them and follows where they move. DNS only; /etc/hosts is not read.',
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
    comment('The name that is asked for, without port, capitals and the dot at its end.'),
    'http-request set-var(txn.name) req.fhdr(host),host_only,lower',
    `http-request set-var(txn.name) ${quote('var(txn.name),regsub("\\.$","")')} if { var(txn.name) -m end . }`,
    `http-request set-var(txn.road) ${quote(`var(txn.name),${map(`names${plain}.map`)}`)}`,
    ...(roads.some(({ name }) => isWildcard(name)) ? [below] : []),
  ];
}

/** 5. Names that are not on the map. */
function strangerLines(plan: Plan, current: string): string[] {
  const { unknown } = plan.front;
  const stranger = 'if !{ var(txn.road) -m found }';
  switch (unknown.act) {
    case 'refuse':
      return [
        comment(
          'Names that are not on the map. Where HTTP/2 shares a connection between names, the visitor must open another one (RFC 9110 §15.5.20).',
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

/** 6. The certificate that the handshake showed, for the sections of roads to compare with theirs. */
function shownLines({ certificates }: Plan, current: string): string[] {
  const below = `http-request set-var(txn.shown) ${quote(`var(txn.sni),regsub("^[0-9a-z_-]+\\.",""),map(${current}/shown-below.map)`)} if !{ var(txn.shown) -m found } { var(txn.sni) -m reg ${quote('^[0-9a-z_-]+\\.')} }`;
  return [
    comment('Which certificate was shown.'),
    'http-request set-var(txn.sni) ssl_fc_sni,lower',
    `http-request set-var(txn.sni) ${quote('var(txn.sni),regsub("\\.$","")')} if { var(txn.sni) -m end . }`,
    `http-request set-var(txn.shown) ${quote(`var(txn.sni),map(${current}/shown.map)`)}`,
    ...(certificates.some(({ names }) => names.some(isWildcard)) ? [below] : []),
  ];
}

/** A path that is not in normal form is below no prefix. */
function normalLines(): string[] {
  return [`http-request set-var(txn.normal) bool(true) if !{ path -m reg ${quote(abnormal)} }`];
}

/** The mark is a listener of its own on the machine itself. */
export function markFile({ front }: Plan, mark: string): string {
  return [
    `${ownHeader}.`,
    comment('Answers which edition this haproxy really runs. A reload that reports success proves nothing.'),
    ...section(`frontend mile-marker-mark from ${defaultsName}`, [
      `bind ${bindAddress(front.mark.address, front.mark.port)}`,
      `http-request return status 200 content-type text/plain string ${quote(mark)} if { path /mark }`,
      'http-request return status 404',
    ]),
  ].join('\n');
}
