import { card, tell } from '../findings/card.ts';
import { stretchName } from '../plan/plan-road.ts';
import { whyNot } from '../plan/why-not.ts';
import type { Rule } from './rule.ts';

const words = card({
  id: 'path-leads-nowhere',
  severity: 'error',
  summary: 'A part of a road leads to a service that the proxy cannot reach.',
  why: 'That part answers 502 while the rest of the road works.',
  source: 'map reference: `paths`',
  messages: {
    nowhere: {
      message: 'The part {prefix} of `{key}` leads nowhere: {why}.',
      remedy: 'Mend its `to`; mile-marker survey shows what runs and where it listens.',
    },
  },
});

export const pathLeadsNowhere: Rule = {
  card: words,
  check: ({ map, resolutions }) =>
    map.roads.flatMap(({ key, name, rules, where }) =>
      rules.paths.flatMap(({ prefix }) => {
        const found = resolutions.get(stretchName(name, prefix));
        const why = found === undefined ? null : whyNot(found);
        if (why === null) return [];
        const cause = `path:${name}${prefix}`;
        return [tell(words, { say: 'nowhere', data: { prefix, key, why }, cause, roads: [name], where })];
      }),
    ),
};
