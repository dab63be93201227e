import { card, tell } from '../findings/card.ts';
import type { Rule } from './rule.ts';

const words = card({
  id: 'road-in-clear-text',
  severity: 'warning',
  summary: 'A road is served on plain HTTP too.',
  why: 'Everybody on the way reads what is sent, and can change it: cookies, passwords, pages.',
  source: 'RFC 9110 §17.1; RFC 7617 §4',
  messages: {
    plain: {
      message: '`{road}` is served on plain HTTP too.',
      remedy: 'Take `plain` away when what needs it is gone.',
    },
    password: {
      message: '`{road}` asks for a password on plain HTTP too, where everybody on the way can read it.',
      remedy: 'Take `plain` away, or let the gate ask for networks alone.',
    },
  },
});

export const roadInClearText: Rule = {
  card: words,
  check: ({ plan }) =>
    plan.roads.flatMap(({ name, display: road, rules, gate, where }) => {
      if (!rules.plain) return [];
      const asks = gate.parts.some(({ people }) => people !== null);
      const severity = asks ? ('error' as const) : ('warning' as const);
      return [tell(words, { say: asks ? 'password' : 'plain', data: { road }, severity, roads: [name], where })];
    }),
};
