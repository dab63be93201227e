import { card, tell } from '../../findings/card.ts';
import { groupedBy } from '../../grouped-by.ts';
import { composeFor } from '../../inventory/compose-command.ts';
import { titleOf, type Service } from '../../inventory/inventory.ts';
import { notApplied, type NotApplied } from '../../inventory/with-containers.ts';
import { withPort } from '../../networks/address.ts';
import type { Rule } from '../rule.ts';

const words = card({
  id: 'compose-not-applied',
  severity: 'warning',
  summary: 'A service still runs with its old Compose settings.',
  why: 'A change in a Compose file has no effect until the container is recreated. A restart is not enough.',
  source: 'Compose Specification, sections "ports" and "restart"; Engine API v1.41, ContainerInspect',
  messages: {
    before: {
      message: '`{service}` still runs with its old Compose settings: {differences}.',
      remedy: 'Recreate it: {compose} up -d {name}',
    },
  },
});

export const composeNotApplied: Rule = {
  card: words,
  check: ({ inventory, host }) =>
    inventory.services.flatMap((service) => {
      const found = notApplied(service);
      if (found === null) return [];
      const data = {
        ...{ service: titleOf(service), name: service.name, differences: differencesOf(found) },
        compose: composeFor(host.compose, service),
      };
      return [
        tell(words, { say: 'before', data, where: found.missing[0]?.where ?? service.declared?.portsWhere ?? null }),
      ];
    }),
};

function differencesOf({ missing, open, restart }: NotApplied): string[] {
  const ports = missing.map(({ hostAddress, hostPort, containerPort }) =>
    hostPort === null ? String(containerPort) : withPort(hostAddress ?? '0.0.0.0', hostPort),
  );
  return [
    ...ports.map((port) => `${port} is not published`),
    ...open.map(({ hostPort }) => `port ${String(hostPort)} is open past the front`),
    ...(restart ? ['no restart after a reboot'] : []),
  ];
}

/** What has to follow a change of a Compose file: nothing where there is no container yet. */
export function thenRecreate(services: readonly Service[], compose: string): string {
  const made = services.filter(({ containers }) => containers.length > 0);
  const byProject = groupedBy(made, (service) => composeFor(compose, service));
  return [...byProject]
    .map(([command, of]) => `, then: ${command} up -d ${of.map(({ name }) => name).join(' ')}`)
    .join('');
}
