import { card, tell } from '../findings/card.ts';
import { titleOf } from '../inventory/inventory.ts';
import { notApplied as missingPorts } from '../inventory/with-containers.ts';
import { withPort } from '../networks/address.ts';
import type { Rule } from './rule.ts';

const words = card({
  id: 'compose-not-applied',
  severity: 'warning',
  summary: 'A service still runs as its Compose file was before.',
  why: 'A change in a Compose file has no effect until the container is recreated. A restart is not enough.',
  source: 'Compose Specification, section "ports"; Engine API v1.41, ContainerInspect: NetworkSettings.Ports',
  messages: {
    ports: {
      message: '`{service}` should publish {ports} by its Compose file, but its container does not.',
      remedy: 'Recreate it: {compose} up -d {name}',
    },
  },
});

export const composeNotApplied: Rule = {
  card: words,
  check: ({ inventory, host: { compose } }) =>
    inventory.services.flatMap((service) => {
      const missing = missingPorts(service);
      if (missing.length === 0) return [];
      const ports = missing.map(({ hostAddress, hostPort, containerPort }) =>
        hostPort === null ? String(containerPort) : withPort(hostAddress ?? '0.0.0.0', hostPort),
      );
      const data = { service: titleOf(service), name: service.name, ports, compose };
      return [tell(words, { say: 'ports', data, where: missing[0]?.where ?? null })];
    }),
};
