import { isWildcard } from '../../names/wildcard.ts';
import type { Plan, PlannedRoad } from '../../plan/plan.ts';
import { authorityOn } from '../../verdict/forwarded.ts';
import { hasPeople } from '../../verdict/gate.ts';
import { firstCounts, forgeable } from '../../verdict/verdict.ts';
import { headerCase } from '../header-case.ts';
import type { WrittenFile } from '../renderer.ts';
import { toldDevice } from './devices.ts';
import { hopHeaders } from './hops.ts';
import { comment, ownHeader, quote, quoteHeader } from './quote.ts';

type Listener = 'http' | 'https';

/** What belongs to one connection (RFC 9110 §7.6.1) and httpd would pass on. */
const ofConnection = ['HTTP2-Settings', 'Proxy-Connection', 'TE', 'Trailer'];

/** Beside the entry file: headers that every service gets. */
const toldFile = 'told.conf';

/** These are of the road and its listener. */
const ofRoad = ['forwarded', 'x-forwarded-host', 'x-forwarded-port', 'x-forwarded-proto'];

export function toldFiles({ front: { edge } }: Plan): WrittenFile[] {
  const told = ['x-forwarded-for', 'x-real-ip', ...(edge === null ? [] : [edge.header])];
  const gone = forgeable.filter((name) => !ofRoad.includes(name) && !told.includes(name));
  const lines = [
    `${ownHeader}: headers that every service gets.`,
    'ProxyPreserveHost On',
    'ProxyAddHeaders Off',
    'ProxyErrorOverride Off',
    comment('Removes what belongs to one connection, and what visitors claim about themselves.'),
    ...[...ofConnection, ...gone.map(headerCase), ...Object.values(hopHeaders)].map(
      (name) => `RequestHeader unset ${name}`,
    ),
    comment(
      'mod_proxy removes every header that `Connection` names (RFC 9110 §7.6.1). Visitors must not remove those of the front.',
    ),
    `RequestHeader edit* Connection "(?i)(^|,)[ \\t]*(?:${[...told, ...ofRoad, 'host', ...Object.values(hopHeaders)].join('|')})[ \\t]*(?=,|$)" "$1"`,
    comment('Max-Forwards is for TRACE and OPTIONS only (RFC 9110 §7.6.2); mod_proxy would apply it to all.'),
    'RequestHeader unset Max-Forwards',
    comment('Only WebSockets may upgrade. Any other tunnel would bypass all further rules.'),
    `RequestHeader unset Upgrade "expr=! (%{REQUEST_METHOD} == 'GET' && %{SERVER_PROTOCOL} == 'HTTP/1.1' && req_novary('Upgrade') =~ /^websocket$/i && req_novary('Connection') =~ /(^|[, ])upgrade([, ]|$)/i)"`,
    comment('Many programs read names with other characters, such as _, as these.'),
    ...forgeable
      .filter((name) => name.includes('-'))
      .flatMap((name) => ['_', '.'].map((sign) => `RequestHeader unset ${headerCase(name).replace(/-/g, sign)}`)),
    comment('Of headers that occur once, the first line counts.'),
    ...[...firstCounts].map((name) => `RequestHeader edit ${headerCase(name)} "\\s*,.*$" ""`),
    ...[...new Set(told)].map((name) => `RequestHeader set ${headerCase(name)} "%{mm_client}e"`),
    comment('Removes from answers what belongs to the connection, and what only the front may say.'),
    ...dropped.map((name) => `Header onsuccess unset ${name}`),
    '',
  ];
  return [{ path: toldFile, content: lines.join('\n') }];
}

const dropped = [
  ...['HTTP2-Settings', 'Keep-Alive', 'Proxy-Connection', 'Server', 'X-Powered-By', 'Strict-Transport-Security'],
  ...['Buffering', 'Charset', 'Expires', 'Limit-Rate', 'Redirect'].map((what) => `X-Accel-${what}`),
];

/** What the services of a road are told. */
export function tellingLines(plan: Plan, road: PlannedRoad, listener: Listener, current: string): string[] {
  const text = authorityOn(road, listener, plan.front.ports);
  const authority = authorityFormat(plan, road, listener);
  const isNamed = authority === text;
  const host = authorityValue(plan, road, listener);
  const forwarded = (node: string, isIpv6: string): string => {
    const value = `for=${node};host="${isNamed ? text : '%{mm_authority}e'}";proto=${listener}`;
    return `RequestHeader set Forwarded ${quote(value.replace(/\\/g, '\\\\'))} "expr=${isIpv6}%{env:mm_client} =~ /:/"`;
  };
  return [
    `Include ${quote(`${current}/${toldFile}`)}`,
    `RequestHeader set Host ${host}`,
    comment('RFC 7239: an IPv6 address is in brackets and quotes.'),
    forwarded('%{mm_client}e', '! '),
    forwarded('"[%{mm_client}e]"', ''),
    `RequestHeader set X-Forwarded-Host ${host}`,
    `RequestHeader set X-Forwarded-Port ${String(plan.front.ports[listener])}`,
    `RequestHeader set X-Forwarded-Proto ${listener}`,
    ...toldDevice(road),
    ...(hasPeople(road.gate)
      ? [
          comment('The password of the gate does not reach the service.'),
          `RequestHeader unset Authorization "expr=req_novary('Authorization') =~ /^basic( |$)/i"`,
        ]
      : []),
  ];
}

/** Name and port as visitors see them. The road of all other names has none of its own. */
export function authorityFormat(plan: Plan, road: PlannedRoad, listener: Listener): string {
  const text = authorityOn(road, listener, plan.front.ports);
  return isWildcard(road.name) ? text.replaceAll(road.name, () => '%{SERVER_NAME}') : text;
}

/** The same as the value of a header. */
export function authorityValue(plan: Plan, road: PlannedRoad, listener: Listener): string {
  const format = authorityFormat(plan, road, listener);
  return isWildcard(road.name) ? quote(`expr=${format}`) : quoteHeader(format);
}

/** The same for `Forwarded`, whose value is a format and no expression. */
export function authorityLines(plan: Plan, road: PlannedRoad, listener: Listener): string[] {
  return isWildcard(road.name) ? [`RewriteRule ^ - [E=mm_authority:${authorityFormat(plan, road, listener)}]`] : [];
}
