import { card, tell } from '../../findings/card.ts';
import { nearest } from '../../findings/nearest.ts';
import { leadsOnMap } from '../on-roads.ts';
import type { Rule } from '../rule.ts';

const words = card({
  id: 'service-unknown',
  severity: 'error',
  summary: 'A road leads to a service that no Compose file declares and the engine does not know.',
  why: 'The front would answer 502 to every visitor of this road.',
  source: 'Compose Specification, section "services"',
  messages: {
    near: { message: 'No service is called `{service}`.', remedy: 'Did you mean `{near}`?' },
    far: {
      message: 'No service is called `{service}`. There are: {known}.',
      remedy: 'Correct the name, or add the file that declares it under `compose`.',
    },
    'no-compose': {
      message: '`{service}` should be a service, but the map names no Compose file and no container engine.',
      remedy: 'Add `compose: [compose.yaml]` or `engine` to the map, or lead to a port of this machine: `:PORT`.',
    },
    twin: {
      message: 'Another project has a service called `{service}`, too: {projects}. The road stays with {own}.',
      remedy: 'Write the full name: `{own}/{service}:{port}`.',
    },
    ambiguous: {
      message: 'Several projects have a service called `{service}`: {projects}.',
      remedy: 'Write the full name: `{first}/{service}:{port}`.',
    },
  },
});

export const serviceUnknown: Rule = {
  card: words,
  check: ({ map, plan, inventory }) =>
    leadsOnMap({ map, plan }).flatMap(({ name, leads, resolution: found, where }) => {
      if (leads.kind !== 'service' || found === null) return [];
      const { service, port } = leads;
      const about = { roads: [name], where, cause: `service:${service}` };
      if (found.kind === 'service-ambiguous') {
        const data = { service, port, projects: found.projects, first: found.projects[0] ?? '' };
        return [tell(words, { say: 'ambiguous', data, ...about })];
      }
      if (found.twins !== undefined) {
        const own = found.service?.project ?? '';
        const data = { service, port, projects: found.twins, own };
        return own === '' ? [] : [tell(words, { say: 'twin', severity: 'warning', data, ...about })];
      }
      // The engine may know it; that it gave no answer is told already.
      if (found.kind !== 'service-unknown' || inventory.failed) return [];
      const near = nearest(service, found.known);
      if (near !== null) return [tell(words, { say: 'near', data: { service, near }, ...about })];
      const say = map.compose.length === 0 && !inventory.asked ? 'no-compose' : 'far';
      const known = found.known.length === 0 ? ['none'] : found.known;
      return [tell(words, { say, data: { service, known }, ...about })];
    }),
};
