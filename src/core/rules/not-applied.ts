import { card, tell } from '../findings/card.ts';
import { titleOf } from '../inventory/inventory.ts';
import { notApplied as missingPorts } from '../inventory/with-containers.ts';
import { withPort } from '../networks/address.ts';
import type { Rule } from './rule.ts';

const words = card({
  id: 'compose-not-applied',
  severity: 'warning',
  summary: 'A service runs as its Compose file said before.',
  why: 'A change of a Compose file does nothing until the container is made anew; a restart is not enough.',
  source: 'Compose Specification, section "ports"; Engine API v1.41, ContainerInspect: NetworkSettings.Ports',
  messages: {
    ports: {
      message: '`{service}` is declared to publish {ports}, and its container does not.',
      remedy: 'Make it anew: docker compose up -d {name}',
    },
  },
});

export const composeNotApplied: Rule = {
  card: words,
  check: ({ inventory }) =>
    inventory.services.flatMap((service) => {
      const missing = missingPorts(service);
      if (missing.length === 0) return [];
      const ports = missing.map(({ hostAddress, hostPort, containerPort }) =>
        hostPort === null ? String(containerPort) : withPort(hostAddress ?? '0.0.0.0', hostPort),
      );
      const data = { service: titleOf(service), name: service.name, ports };
      return [tell(words, { say: 'ports', data, where: missing[0]?.where ?? null })];
    }),
};
