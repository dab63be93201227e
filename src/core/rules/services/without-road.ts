import { card, tell } from '../../findings/card.ts';
import { isRunning, titleOf } from '../../inventory/inventory.ts';
import { notForTheWebBy, webPorts } from '../../inventory/web-ports.ts';
import { servicesOf } from '../../plan/parts.ts';
import { strayPorts } from './published-to-everyone.ts';
import type { Rule } from '../rule.ts';

const words = card({
  id: 'container-without-road',
  severity: 'note',
  summary: 'Something that looks like a web service has no road.',
  why: 'It may be new, or forgotten.',
  source: 'Engine API v1.41, ContainerList',
  messages: {
    some: { message: 'No road leads to {services}.', remedy: 'See what you can add: mile-marker survey' },
  },
});

export const containerWithoutRoad: Rule = {
  card: words,
  check: (facts) => {
    const { inventory, front, plan } = facts;
    const { http, https } = plan.front.listen;
    const mapped = servicesOf(plan);
    const strays = strayPorts(facts);
    const left = inventory.services.filter(
      (service) =>
        isRunning(service) &&
        !mapped.has(service) &&
        service !== front.service &&
        // What is open to the world is told as that.
        !strays.has(service) &&
        // What has the front's own port is told as that.
        !service.published.some(({ hostPort }) => hostPort === http || hostPort === https) &&
        // What a cluster placed is known by its service, where the map has a cluster.
        (service.cluster !== null || service.labels['com.docker.swarm.service.name'] === undefined) &&
        notForTheWebBy(service) === null &&
        webPorts(service).length > 0,
    );
    if (left.length === 0) return [];
    return [
      tell(words, { say: 'some', data: { services: left.map((one) => `\`${titleOf(one)}\``) }, cause: 'without-road' }),
    ];
  },
};
