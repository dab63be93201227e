import { checkOf } from '../../gates/check.ts';
import { inUrl, withPort } from '../../networks/address.ts';
import { inAll } from '../../networks/covering.ts';
import type { Plan, PlannedPort } from '../../plan/plan.ts';
import type { WrittenFile } from '../renderer.ts';
import { tlsFloor } from './front.ts';
import { block, comment, ownHeader, quote } from './quote.ts';

/** The servers of raw ports, for a `stream { }` that is there already. */
const serversFile = 'ports.conf';
/** The same in a `stream { }` of their own, which stands beside `http { }`, not in it. */
const wholeFile = 'stream.conf';

/**
 * How nginx is told to read them: at the top, or inside a `stream { }` that it has. An edition without raw ports has no such files, which a pattern may
 * lack.
 *
 * @param current stable path of the newest edition
 */
export function portsInclude(current: string, inside: 'top' | 'stream'): string {
  return `include ${quote(`${current}/${inside === 'top' ? 'stream*.conf' : 'ports*.conf'}`)};`;
}

/** Raw ports, passed on byte for byte (ngx_stream_core_module). */
export function portFiles(plan: Plan, current: string): WrittenFile[] {
  const ports = carriedPorts(plan);
  if (ports.length === 0) return [];
  const servers = [
    `${ownHeader} from your map: raw ports, not the web.`,
    ...ports.flatMap((port) => ['', ...block('server', portLines(plan, port))]),
    '',
  ];
  const whole = [
    `${ownHeader} from your map.`,
    comment('Include this outside `http { }`. It needs the stream module.'),
    ...block('stream', [`include ${quote(`${current}/${serversFile}`)};`]),
    '',
  ];
  return [
    { path: serversFile, content: servers.join('\n') },
    { path: wholeFile, content: whole.join('\n') },
  ];
}

/** Those that lead anywhere; a name can be looked up only where somebody may be asked. */
function carriedPorts({ ports, host }: Plan): PlannedPort[] {
  return ports.filter(({ to }) => to !== null && (!to.byName || host.resolvers.length > 0));
}

function portLines(plan: Plan, port: PlannedPort): string[] {
  const { name, protocol, gate, tls, to, tellsVisitor } = port;
  if (to === null) return [];
  const { front, limits, certificates, host } = plan;
  const pair = certificates.find(({ id }) => id === tls?.certificate);
  // Without `reuseport` the datagrams of one visitor would come to several workers, each with a connection of its own.
  const manner = protocol === 'udp' ? ' udp reuseport' : pair === undefined ? '' : ' ssl';
  const idleSeconds = protocol === 'udp' ? limits.silenceSeconds : limits.liveSeconds;
  return [
    comment(name),
    ...front.listen.addresses.map((address) => `listen ${withPort(address, port.port)}${manner};`),
    ...(pair === undefined
      ? []
      : [
          `ssl_certificate ${quote(pair.certificateFile)};`,
          `ssl_certificate_key ${quote(pair.keyFile)};`,
          ...tlsFloor,
        ]),
    ...gateLines(gate),
    `proxy_connect_timeout ${String(limits.connectSeconds)}s;`,
    `proxy_timeout ${String(idleSeconds)}s;`,
    ...(protocol === 'tcp' ? ['proxy_half_close on;'] : []),
    ...(tellsVisitor ? ['proxy_protocol on;'] : []),
    ...(to.byName
      ? [
          comment('Looked up by name at run time: nginx starts without it, and follows when it moves.'),
          `resolver ${host.resolvers.map(inUrl).join(' ')} valid=${front.container === null ? '30s' : '5s'};`,
          `set $mile_marker_service ${quote(to.host)};`,
          `proxy_pass $mile_marker_service:${String(to.port)};`,
        ]
      : [`proxy_pass ${withPort(to.host, to.port)};`]),
  ];
}

/** One list is worked through until a line fits, so that of several gates only what is in all of them can be let in. */
function gateLines({ name, parts }: PlannedPort['gate']): string[] {
  const near = inAll(parts.map((part) => checkOf(part, 'networks')));
  if (near === null) return [];
  return [
    comment(`Gate: ${name}.`),
    ...near.except.map((address) => `deny ${address};`),
    ...near.networks.map((network) => `allow ${network};`),
    'deny all;',
  ];
}
