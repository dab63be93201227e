import { card, tell } from '../findings/card.ts';
import type { Finding } from '../findings/finding.ts';
import type { SiteMap } from '../map/site-map.ts';
import { programOf, writtenPrograms } from '../proxies/programs.ts';
import type { Rule } from './rule.ts';

const words = card({
  id: 'map-key-later',
  severity: 'error',
  summary: 'A key of the map has no effect in this version.',
  why: 'You would rely on a rule that is not there.',
  source: 'map reference',
  messages: {
    proxy: {
      message: '`front.proxy` names {proxy}, for which this version writes no configuration yet.',
      remedy: 'Write one of: {written}.',
    },
    idle: {
      message: 'This version ignores `{key}`; the rest works.',
      remedy: 'Leave it for a later version, or remove it.',
    },
  },
});

export const mapKeyLater: Rule = {
  card: words,
  check: ({ map }) => [
    ...proxyLater(map.front),
    ...map.later.map(({ key, severity, road, where }) => {
      const roads = road === null ? [] : [road];
      return tell(words, { say: 'idle', data: { key }, severity, roads, where, cause: `later:${key}` });
    }),
  ],
};

function proxyLater({ proxy, proxyWhere: where }: SiteMap['front']): Finding[] {
  const { renderer, title } = programOf(proxy);
  if (renderer !== null) return [];
  const written = writtenPrograms().map(({ name }) => `\`proxy: ${name}\``);
  return [tell(words, { say: 'proxy', data: { proxy: title, written }, where, cause: 'later:front.proxy' })];
}
