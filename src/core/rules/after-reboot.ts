import { isPracticeFront } from '../plan/practice-front.ts';
import { card, tell } from '../findings/card.ts';
import { titleOf } from '../inventory/inventory.ts';
import { programOf } from '../proxies/programs.ts';
import { servicesOnRoads } from './on-roads.ts';
import type { Rule } from './rule.ts';

const policy = card({
  id: 'no-restart-policy',
  severity: 'warning',
  summary: 'A service on a road is not started again after a reboot.',
  why: 'After the next power cut the front is back, but the service is not.',
  source: 'Compose Specification, section "restart"',
  messages: {
    none: {
      message: '`{service}` has no restart policy: after a reboot it stays down.',
      remedy: 'Add to the service: restart: unless-stopped',
    },
    failure: {
      message: '`{service}` is started again when it fails, but not after a reboot (restart: on-failure).',
      remedy: 'Write instead: restart: unless-stopped',
    },
    container: {
      message: 'The container `{service}` has no restart policy that survives a reboot.',
      remedy: 'Set one: docker update --restart unless-stopped {container}',
    },
  },
});

export const noRestartPolicy: Rule = {
  card: policy,
  check: (facts) =>
    servicesOnRoads(facts).flatMap(({ service, roads, where: road }) => {
      const { restart, declared, containers } = service;
      if (restart !== null && !restart.startsWith('on-failure')) return [];
      const title = titleOf(service);
      const say = declared === null ? 'container' : restart === null ? 'none' : 'failure';
      const data = { service: title, container: containers[0]?.name ?? service.name };
      return [tell(policy, { say, data, roads, where: declared?.where ?? road, cause: `restart:${title}` })];
    }),
};

const boot = card({
  id: 'front-not-at-boot',
  severity: 'warning',
  summary: 'Nothing starts the proxy when this machine starts.',
  why: 'After a reboot every road is down until somebody notices.',
  source: 'systemctl(1), is-enabled; Compose Specification, section "restart"',
  messages: {
    container: {
      message: 'The front’s container `{front}` has no restart policy that survives a reboot.',
      remedy: 'Set one: docker update --restart unless-stopped {front}',
    },
    program: { message: 'Nothing starts {proxy} when this machine starts.', remedy: 'Enable it: {start}' },
  },
});

export const frontNotAtBoot: Rule = {
  card: boot,
  check: ({ front, plan, startsAtBoot }) => {
    const about = { where: plan.front.where };
    if (front.service !== null) {
      const { restart, containers, name } = front.service;
      if (restart !== null && !restart.startsWith('on-failure')) return [];
      return [tell(boot, { say: 'container', data: { front: containers[0]?.name ?? name }, ...about })];
    }
    if (startsAtBoot !== false || isPracticeFront(plan.front)) return [];
    const { title: proxy, words } = programOf(plan.front.proxy);
    return [tell(boot, { say: 'program', data: { proxy, start: words.atBoot(plan.map) }, ...about })];
  },
};
