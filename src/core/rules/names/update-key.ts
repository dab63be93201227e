import { card, tell } from '../../findings/card.ts';
import type { Rule } from '../rule.ts';

const unreadable = card({
  id: 'update-key-unreadable',
  severity: 'warning',
  summary: 'The key that signs updates of the zone cannot be read.',
  why: 'Without it `dns publish`, `dns update-address` and the DNS challenge cannot work.',
  source: 'RFC 8945 (TSIG)',
  messages: {
    file: {
      message: '{problem}',
      remedy: '{remedy}',
    },
  },
});

export const updateKeyUnreadable: Rule = {
  card: unreadable,
  check: ({ updateKey, map }) => {
    if (updateKey === null) return [];
    const needsIt = map.acme?.challenge === 'dns';
    const severity = needsIt ? ('error' as const) : ('warning' as const);
    return [tell(unreadable, { say: 'file', data: updateKey, severity, cause: 'update-key' })];
  },
};
