import { card, tell } from '../findings/card.ts';
import type { Rule } from './rule.ts';

const unreadable = card({
  id: 'update-key-unreadable',
  severity: 'warning',
  summary: 'The key that signs updates of the zone cannot be read.',
  why: 'Nothing can be published, and no name be proven by a record: neither `dns publish` nor `dns update-address`, nor certificates with the DNS challenge.',
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
