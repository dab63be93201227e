import { covers } from '../../certificates/cover.ts';
import { card, tell } from '../../findings/card.ts';
import type { Rule } from '../rule.ts';
import { indexed } from '../../indexed.ts';

const words = card({
  id: 'certificate-not-for-road',
  severity: 'error',
  summary: 'A road names a certificate that does not cover its name.',
  why: 'Browsers compare the name in the address bar with the names in the certificate, and refuse.',
  source: 'RFC 9525 §6.3: a wildcard covers one label only',
  messages: {
    other: {
      message: '`{key}` shows the certificate `{id}`, which covers {names}, but not {name}.',
      remedy: 'Add the name under `certificates` to `{id}`, or remove `certificate` from the road.',
    },
  },
});

export const certificateNotForRoad: Rule = {
  card: words,
  check: ({ map, plan }) =>
    plan.roads.flatMap(({ name, certificate: id, where }) => {
      const names = indexed(plan.certificates, 'id').get(id)?.names ?? [];
      if (covers(names, name)) return [];
      const key = indexed(map.roads, 'name').get(name)?.key ?? name;
      return [tell(words, { say: 'other', data: { key, id, names, name }, roads: [name], where })];
    }),
};
