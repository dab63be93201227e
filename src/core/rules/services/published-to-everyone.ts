import { card, tell } from '../../findings/card.ts';
import type { Finding } from '../../findings/finding.ts';
import { isRunning, servicesHere, titleOf, type PublishedPort, type Service } from '../../inventory/inventory.ts';
import { onLoopback, portEnding } from '../../inventory/on-loopback.ts';
import { notApplied } from '../../inventory/with-containers.ts';
import { thenRecreate } from '../front/not-applied.ts';
import { leadsOnMap } from '../on-roads.ts';
import { isEveryAddress } from '../../networks/address.ts';
import type { Resolution } from '../../plan/resolve-service.ts';
import { isOnHost } from '../../way-in/way-in.ts';
import type { Facts, Rule } from '../rule.ts';

const words = card({
  id: 'service-published-to-everyone',
  severity: 'warning',
  summary: 'A service on a road also publishes its port on every address of this machine.',
  why: 'Anyone who uses that port bypasses the gate and TLS. Container ports are forwarded before the input rules of a firewall, so closing the port there does not help.',
  source: 'Compose Specification, section "ports": without a host address, all of them',
  messages: {
    open: {
      message: '`{service}` is reachable past the front, on port {outside} of every address of this machine.',
      remedy: 'Close it: {how}',
    },
    needless: {
      message: '`{service}` is reachable past the front, on port {outside} of every address of this machine.',
      remedy: 'In {file} remove line {line}: the front reaches the service by their shared network{then}',
    },
    stray: {
      message: '`{service}` is open to the world on port {outside}, which no road leads to.',
      remedy:
        'If this is on purpose, nothing needs doing. If not, {how}. Or keep strangers out: mile-marker install firewall',
    },
  },
});

export const publishedToEveryone: Rule = {
  card: words,
  check: (facts) => [...onRoads(facts), ...strays(facts)],
};

function strays(facts: Facts): Finding[] {
  const { host } = facts;
  return [...strayPorts(facts)].flatMap(([service, ports]) =>
    ports.map((port) => {
      const data = { service: titleOf(service), outside: port.hostPort, how: howToClose(service, port, host.compose) };
      // Mail, SSH of a forge and the like are meant to be open.
      return tell(words, { say: 'stray', data, severity: 'note', where: port.where, cause: causeOf(port) });
    }),
  );
}

/** What containers open beside the roads where the public address is this machine's own: nothing but a firewall is in between, and none of ours. */
export function strayPorts(facts: Facts): Map<Service, PublishedPort[]> {
  const { inventory, plan, host, front, isWalled } = facts;
  const found = new Map<Service, PublishedPort[]>();
  if (isWalled || !isOnHost({ plan, host })) return found;
  const led = new Set(leadsOnMap(facts).map(({ resolution }) => openOf(resolution)));
  const ours = [plan.front.listen.http, plan.front.listen.https];
  for (const service of servicesHere(inventory)) {
    if (!isRunning(service) || service === front.service) continue;
    const told = notApplied(service)?.open ?? [];
    const open = service.published.filter(
      (port) =>
        port.hostPort !== null &&
        isEveryAddress(port.hostAddress) &&
        !ours.includes(port.hostPort) &&
        !led.has(port) &&
        !told.includes(port),
    );
    if (open.length > 0) found.set(service, open);
  }
  return found;
}

function openOf(resolution: Resolution | null): PublishedPort | null {
  return resolution?.kind === 'dialled' ? resolution.toEveryone : null;
}

/** As the end of a sentence. */
function howToClose(service: Service | null, port: PublishedPort, compose: string): string {
  const pair = `${String(port.hostPort)}:${String(port.containerPort)}`;
  const inside = `127.0.0.1:${pair}${portEnding(port.protocol)}`;
  const project = service?.containers[0]?.project ?? null;
  const then = service === null ? '' : thenRecreate([service], compose);
  if (port.where !== null)
    return `in ${port.where.file} line ${String(port.where.line)} write: ${onLoopback(port.written ?? pair, port)}${then}`;
  return project === null
    ? `recreate it with: -p ${inside}`
    : `in the Compose file of \`${project}\` write: "${inside}"${then}`;
}

function onRoads(facts: Facts): Finding[] {
  const { compose } = facts.host;
  return leadsOnMap(facts).flatMap(({ name, resolution, where }) => {
    const port = openOf(resolution);
    const service = resolution?.service ?? null;
    // What a Compose file says and is not applied is told as that.
    if (port === null || (service !== null && notApplied(service)?.open.includes(port) === true)) return [];
    const data = {
      service: service?.name ?? '',
      outside: port.hostPort,
      how: howToClose(service, port, compose),
      file: port.where?.file ?? '',
      line: port.where?.line ?? 0,
      then: service === null ? '' : thenRecreate([service], compose),
    };
    const say = port.where !== null && facts.front.kind === 'container' ? 'needless' : 'open';
    return [tell(words, { say, data, roads: [name], where: port.where ?? where, cause: causeOf(port) })];
  });
}

function causeOf({ hostPort, protocol }: PublishedPort): string {
  return `published:${String(hostPort)}${portEnding(protocol)}`;
}
