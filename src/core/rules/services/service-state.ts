import { card, tell } from '../../findings/card.ts';
import { composeFor } from '../../inventory/compose-command.ts';
import { titleOf, type Container, type Service } from '../../inventory/inventory.ts';
import { servicesAndFront } from '../on-roads.ts';
import type { Facts, Rule } from '../rule.ts';

const source = 'Engine API v1.41, ContainerInspect: State';

const stopped = card({
  id: 'service-stopped',
  severity: 'warning',
  summary: 'A service on a road, or the front itself, is not running.',
  why: 'The front answers 502 to every visitor until it does.',
  source,
  messages: {
    missing: {
      message: '`{service}` is declared, but has no container.',
      remedy: 'Start it: {compose} up -d {name}',
    },
    profile: {
      message: '`{service}` runs only with one of the profiles {profiles}, and has no container.',
      remedy: 'Start it: {compose} --profile {first} up -d {name}',
    },
    exited: {
      message: 'The container `{container}` ended with exit code {code}.',
      remedy: 'Read why: docker logs {container}',
    },
    created: {
      message: 'The container `{container}` was created, but never started.',
      remedy: 'Start it: docker start {container}',
    },
    paused: { message: 'The container `{container}` is paused.', remedy: 'Resume it: docker unpause {container}' },
    dead: {
      message: 'The container `{container}` is {state}.',
      remedy: 'Remove it, then start it again: docker rm -f {container}',
    },
  },
});

const restarting = card({
  id: 'service-restarting',
  severity: 'warning',
  summary: 'A service on a road crashes again and again.',
  why: 'Visitors get 502 between two starts.',
  source,
  messages: {
    restarting: {
      message: 'The container `{container}` crashes again and again with exit code {code}.',
      remedy: 'Read why: docker logs {container}',
    },
  },
});

const unhealthy = card({
  id: 'service-unhealthy',
  severity: 'warning',
  summary: "A service on a road fails its container's own health check.",
  why: 'It runs, but its own check says that it does not work.',
  source: 'Engine API v1.41, ContainerInspect: State.Health',
  messages: {
    unhealthy: {
      message: 'The container `{container}` is unhealthy by its own health check.',
      remedy: 'See what the check printed: docker inspect --format "{dots}" {container}',
    },
  },
});

/** What a cluster places is started anew by it, and has rules of its own. */
function placedHere(facts: Facts): ReturnType<typeof servicesAndFront> {
  return servicesAndFront(facts).filter(({ service }) => service.cluster === null);
}

/** The container that stands for a service whose every one is down: the first by name. */
function downOf({ containers }: Service): Container | null {
  return containers.some(({ state }) => state === 'running') ? null : (containers[0] ?? null);
}

export const serviceStopped: Rule = {
  card: stopped,
  check: (facts) =>
    placedHere(facts).flatMap(({ service, roads, where }) => {
      const { machine } = service;
      const about = { roads, where, cause: `stopped:${titleOf(service)}`, machine };
      if (facts.inventory.asked && service.containers.length === 0) {
        const { profiles, name } = service;
        const compose = composeFor(facts.host.compose, service);
        const data = { service: titleOf(service), name, profiles, first: profiles[0] ?? '', compose };
        return [tell(stopped, { say: profiles.length === 0 ? 'missing' : 'profile', data, ...about })];
      }
      const down = downOf(service);
      if (down === null || down.state === 'restarting') return [];
      const { state, name: container, exitCode: code } = down;
      const say = state === 'exited' || state === 'created' || state === 'paused' ? state : 'dead';
      return [tell(stopped, { say, data: { container, code, state }, ...about })];
    }),
};

export const serviceRestarting: Rule = {
  card: restarting,
  check: (facts) =>
    placedHere(facts).flatMap(({ service, roads, where }) => {
      const down = downOf(service);
      if (down?.state !== 'restarting') return [];
      const data = { container: down.name, code: down.exitCode };
      const { machine } = service;
      return [
        tell(restarting, { say: 'restarting', data, roads, where, cause: `restarting:${titleOf(service)}`, machine }),
      ];
    }),
};

export const serviceUnhealthy: Rule = {
  card: unhealthy,
  check: (facts) =>
    placedHere(facts).flatMap(({ service, roads, where }) =>
      service.containers
        .filter(({ state, health }) => state === 'running' && health === 'unhealthy')
        .map(({ name: container }) => {
          const data = { container, dots: '{{json .State.Health}}' };
          const { machine } = service;
          return tell(unhealthy, { say: 'unhealthy', data, roads, where, cause: `unhealthy:${container}`, machine });
        }),
    ),
};
