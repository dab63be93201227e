import { isPracticeFront } from '../../plan/practice-front.ts';
import { card, tell } from '../../findings/card.ts';
import { survivesReboot, titleOf, type Service } from '../../inventory/inventory.ts';
import { programOf } from '../../proxies/programs.ts';
import { thenRecreate } from '../front/not-applied.ts';
import { servicesOnRoads } from '../on-roads.ts';
import type { Rule } from '../rule.ts';

const policy = card({
  id: 'no-restart-policy',
  severity: 'warning',
  summary: 'A service on a road does not start after a reboot.',
  why: 'After the next power cut the front comes back, but the service does not.',
  source: 'Compose Specification, section "restart"',
  messages: {
    none: {
      message: 'No restart policy, so down after a reboot: {services}.',
      remedy: 'Add to each of these services: restart: unless-stopped{then}',
    },
    failure: {
      message: 'Restarts after a failure, but not after a reboot (restart: on-failure): {services}.',
      remedy: 'Write instead: restart: unless-stopped{then}',
    },
    container: {
      message: 'Containers without a restart policy that survives a reboot: {services}.',
      remedy: 'Set one: docker update --restart unless-stopped {all}',
    },
  },
});

type Lack = keyof typeof policy.messages;

export const noRestartPolicy: Rule = {
  card: policy,
  check: (facts) => {
    const lacking = servicesOnRoads(facts).flatMap((used) => {
      const say = lackOf(used.service);
      return say === null ? [] : [{ ...used, say }];
    });
    const machines = [...new Set(lacking.map(({ service }) => service.machine))];
    const kinds = machines.flatMap((machine) =>
      (Object.keys(policy.messages) as Lack[]).map((say) => ({ machine, say })),
    );
    return kinds.flatMap(({ machine, say }) => {
      const same = lacking.filter((one) => one.say === say && one.service.machine === machine);
      const [first] = same;
      if (first === undefined) return [];
      const names = same.map(({ service }) => service.containers[0]?.name ?? service.name);
      const services = same.map(({ service }, index) =>
        say === 'container' ? (names[index] ?? '') : titleOf(service),
      );
      const roads = [...new Set(same.flatMap((one) => one.roads))];
      const where = first.service.declared?.where ?? first.where;
      return [
        tell(policy, {
          say,
          data: {
            services,
            all: names.join(' '),
            then: thenRecreate(
              same.map(({ service }) => service),
              facts.host.compose,
            ),
          },
          roads,
          where,
          cause: `restart:${say}:${machine ?? ''}`,
          machine,
        }),
      ];
    });
  },
};

function lackOf({ restart, declared }: Service): Lack | null {
  // When only the container has to be made anew, that is said with all else that its file says.
  if (survivesReboot(restart) || survivesReboot(declared?.restart ?? null)) return null;
  return declared === null ? 'container' : restart === null ? 'none' : 'failure';
}

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
      if (survivesReboot(restart)) return [];
      return [tell(boot, { say: 'container', data: { front: containers[0]?.name ?? name }, ...about })];
    }
    // What has no container yet is told of as that.
    if (front.kind === 'container' || startsAtBoot !== false || isPracticeFront(plan.front)) return [];
    const { title: proxy, words } = programOf(plan.front.proxy);
    return [tell(boot, { say: 'program', data: { proxy, start: words.atBoot(plan.map) }, ...about })];
  },
};
