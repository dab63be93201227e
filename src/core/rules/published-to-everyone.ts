import { card, tell } from '../findings/card.ts';
import type { Finding } from '../findings/finding.ts';
import { isRunning, servicesHere, titleOf, type PublishedPort, type Service } from '../inventory/inventory.ts';
import { onLoopback, portEnding } from '../inventory/on-loopback.ts';
import { notApplied } from '../inventory/with-containers.ts';
import { thenRecreate } from './not-applied.ts';
import { leadsOnMap } from './on-roads.ts';
import { isEveryAddress } from '../networks/address.ts';
import { servicesOf } from '../plan/parts.ts';
import { isOnHost } from '../way-in/way-in.ts';
import type { Facts, Rule } from './rule.ts';

const words = card({
  id: 'service-published-to-everyone',
  severity: 'warning',
  summary: 'A service on a road also publishes its port on every address of this host.',
  why: 'Whoever uses that port bypasses the gate and TLS. Container ports are forwarded before the input rules of a firewall, so closing the port there does not help.',
  source: 'Compose Specification, section "ports": without a host address, all of them',
  messages: {
    stray: {
      message: '`{service}` is open to the world on port {outside}, and no road leads to it.',
      remedy: 'If it is not meant for everybody, {how}. Or keep strangers out: mile-marker install firewall',
    },
    open: {
      message: '`{service}` is reachable past the front, on port {outside} of every address of this host.',
      remedy: 'In {file} line {line} write: {instead}{then}',
    },
    needless: {
      message: '`{service}` is reachable past the front, on port {outside} of every address of this host.',
      remedy: 'In {file} remove line {line}: the front reaches the service by their shared network{then}',
    },
    container: {
      message:
        'The container of `{service}` is reachable past the front, on port {outside} of every address of this host.',
      remedy: 'Recreate it with: -p 127.0.0.1:{outside}:{inside}{ending}',
    },
    project: {
      message:
        'The container of `{service}` is reachable past the front, on port {outside} of every address of this host.',
      remedy:
        'In the Compose file of `{project}` write: "127.0.0.1:{outside}:{inside}{ending}", then: {compose} up -d {service}',
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
      const cause = `published:${String(port.hostPort)}${portEnding(port.protocol)}`;
      return tell(words, { say: 'stray', data, where: port.where, cause });
    }),
  );
}

/** What containers without a road open where the public address is this machine's own: nothing but a firewall is in between, and none of ours. */
export function strayPorts({
  inventory,
  plan,
  host,
  front,
  isWalled,
}: Pick<Facts, 'inventory' | 'plan' | 'host' | 'front' | 'isWalled'>): Map<Service, PublishedPort[]> {
  const found = new Map<Service, PublishedPort[]>();
  if (isWalled || !isOnHost({ plan, host })) return found;
  const mapped = servicesOf(plan);
  const ours = [plan.front.listen.http, plan.front.listen.https];
  for (const service of servicesHere(inventory)) {
    if (!isRunning(service) || mapped.has(service) || service === front.service) continue;
    const told = notApplied(service)?.open ?? [];
    const open = service.published.filter(
      (port) =>
        port.hostPort !== null &&
        isEveryAddress(port.hostAddress) &&
        !ours.includes(port.hostPort) &&
        !told.includes(port),
    );
    if (open.length > 0) found.set(service, open);
  }
  return found;
}

function howToClose(service: Service, port: PublishedPort, compose: string): string {
  const pair = `${String(port.hostPort)}:${String(port.containerPort)}`;
  const inside = `127.0.0.1:${pair}${portEnding(port.protocol)}`;
  const project = service.containers[0]?.project ?? null;
  if (port.where !== null)
    return `write in ${port.where.file} line ${String(port.where.line)}: ${onLoopback(port.written ?? pair, port)}${thenRecreate([service], compose)}`;
  return project === null
    ? `recreate it with: -p ${inside}`
    : `write in the Compose file of \`${project}\`: "${inside}"${thenRecreate([service], compose)}`;
}

function onRoads(facts: Facts): Finding[] {
  return leadsOnMap(facts).flatMap(({ name, resolution: found, where }) => {
    if (found?.kind !== 'dialled' || found.toEveryone === null) return [];
    const { service, toEveryone: port } = found;
    // That is said of the Compose file that is not applied.
    if (service !== null && notApplied(service)?.open.includes(port) === true) return [];
    const project = service?.containers[0]?.project ?? null;
    const data = {
      service: service?.name ?? '',
      outside: port.hostPort,
      inside: port.containerPort,
      ending: portEnding(port.protocol),
      file: port.where?.file ?? '',
      line: port.where?.line ?? 0,
      then: service === null ? '' : thenRecreate([service], facts.host.compose),
      project: project ?? '',
      compose: facts.host.compose,
      instead: onLoopback(port.written ?? `${String(port.hostPort)}:${String(port.containerPort)}`, port),
    };
    const own = project === null ? 'container' : 'project';
    const say = port.where === null ? own : facts.front.kind === 'container' ? 'needless' : 'open';
    const about = {
      roads: [name],
      where: port.where ?? where,
      cause: `published:${String(port.hostPort)}${portEnding(port.protocol)}`,
    };
    return [tell(words, { say, data, ...about })];
  });
}
