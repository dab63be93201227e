import { asksFor } from '../../gates/check.ts';
import { card, tell } from '../../findings/card.ts';
import type { Rule } from '../rule.ts';

const words = card({
  id: 'road-in-clear-text',
  severity: 'warning',
  summary: 'A road is served on plain HTTP too.',
  why: 'Anybody on the way can read and change everything: cookies, passwords, pages.',
  source: 'RFC 9110 §17.1; RFC 7617 §4',
  messages: {
    plain: {
      message: '`{road}` is served on plain HTTP too.',
      remedy: 'Remove `plain` as soon as nothing needs it.',
    },
    password: {
      message: '`{road}` also asks for a password on plain HTTP, where anybody on the way can read it.',
      remedy: 'Remove `plain`, or give the gate networks only.',
    },
  },
});

export const roadInClearText: Rule = {
  card: words,
  check: ({ plan }) =>
    plan.roads.flatMap(({ name, display: road, rules, gate, where }) => {
      if (!rules.plain) return [];
      const asks = asksFor(gate, 'people');
      const severity = asks ? ('error' as const) : ('warning' as const);
      return [tell(words, { say: asks ? 'password' : 'plain', data: { road }, severity, roads: [name], where })];
    }),
};
