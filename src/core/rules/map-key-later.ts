import { card, tell } from '../findings/card.ts';
import type { MapLater } from '../map/site-map.ts';
import type { Rule } from './rule.ts';

const words = card({
  id: 'map-key-later',
  severity: 'error',
  summary: 'A key of the map is read and checked, and this version does not carry it out yet.',
  why: 'A rule that is silently ignored is a rule that you believe is there.',
  source: 'map reference',
  messages: {
    front: {
      message: '`{key}` is not carried out yet, and the front would not do what the map says.',
      remedy: 'Take the key away, or choose what works: `proxy: nginx` or `proxy: builtin`.',
    },
    idle: {
      message: '`{key}` is not carried out yet; all else is as if it were not there.',
      remedy: 'Leave it for a later version, or take it away.',
    },
  },
});

export const mapKeyLater: Rule = {
  card: words,
  check: ({ map }) =>
    map.later.map((later) => {
      const { key, severity, road, where } = later;
      const data = { key, road: road ?? '' };
      const roads = road === null ? [] : [road];
      return tell(words, { say: sayOf(later), data, severity, roads, where, cause: `later:${key}` });
    }),
};

function sayOf({ severity }: MapLater): keyof typeof words.messages {
  return severity === 'error' ? 'front' : 'idle';
}
