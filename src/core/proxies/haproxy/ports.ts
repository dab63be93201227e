import { checkOf } from '../../gates/check.ts';
import { withPort } from '../../networks/address.ts';
import { inAll } from '../../networks/covering.ts';
import type { Plan, PlannedPort } from '../../plan/plan.ts';
import { modernSuites } from '../../front-limits.ts';
import { bindAddress, resolversName } from './front.ts';
import { comment, inLines, ownHeader, quote, section } from './quote.ts';

const defaultsName = 'mile-marker-raw';

/** Raw ports of TCP, a section each, that are passed on byte for byte (configuration manual, `mode tcp`). */
export function portsFile(plan: Plan): string {
  const { limits } = plan;
  return [
    `${ownHeader} (map ${plan.identity}): raw ports, not the web.`,
    '',
    ...section(`defaults ${defaultsName}`, [
      'mode tcp',
      'option dontlognull',
      comment('A service that is down is reported at once, without retries.'),
      'retries 0',
      `timeout connect ${String(limits.connectSeconds)}s`,
      ...['client', 'server', 'tunnel'].map((side) => `timeout ${side} ${String(limits.liveSeconds)}s`),
    ]),
    ...carriedPorts(plan).flatMap((port) =>
      section(`listen mile-marker-port-${String(port.port)} from ${defaultsName}`, portLines(plan, port)),
    ),
  ].join('\n');
}

/** haproxy passes on no UDP, which `check` says. */
export function carriedPorts({ ports }: Plan): PlannedPort[] {
  return ports.filter(({ protocol, to }) => protocol === 'tcp' && to !== null);
}

function portLines(plan: Plan, port: PlannedPort): string[] {
  const { to, tls, gate, tellsVisitor } = port;
  if (to === null) return [];
  const { certificates, front } = plan;
  const pair = certificates.find(({ id }) => id === tls?.certificate)?.certificateFile;
  const secure =
    pair === undefined
      ? ''
      : ` ssl crt ${quote(pair)} ssl-min-ver TLSv1.2 no-tls-tickets ciphers ${modernSuites.join(':')}`;
  const at = to.byName ? `${to.host}:${String(to.port)}` : withPort(to.host, to.port);
  const found = to.byName ? ` resolvers ${resolversName} init-addr none` : '';
  return [
    ...front.listen.addresses.map((address) => `bind ${bindAddress(address, port.port)}${secure}`),
    ...gateLines(gate),
    `server service ${at}${tellsVisitor ? ' send-proxy' : ''}${found}`,
  ];
}

/** Before a byte is read. */
function gateLines({ name, parts }: PlannedPort['gate']): string[] {
  const near = inAll(parts.map((part) => checkOf(part, 'networks')));
  if (near === null) return [];
  const refuse = 'tcp-request connection reject';
  // A list without any address would not be one.
  if (near.networks.length === 0) return [refuse];
  return [
    comment(`Gate: ${name}.`),
    ...inLines('acl near src --', near.networks),
    ...inLines('acl apart src --', near.except),
    `${refuse} if !near${near.except.length === 0 ? '' : ' || apart'}`,
  ];
}
