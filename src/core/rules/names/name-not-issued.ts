import { card, tell } from '../../findings/card.ts';
import { isWildcard } from '../../names/wildcard.ts';
import type { Rule } from '../rule.ts';

const words = card({
  id: 'name-not-issued',
  severity: 'warning',
  summary: 'No public authority issues a certificate for a name on the map.',
  why: 'DNS and some browsers accept such a name, but no authority issues a certificate for it.',
  source:
    'RFC 5892 (code points that IDNA2008 allows); RFC 5890 §2.3.1; CA/Browser Forum Baseline Requirements §7.1.2.7.12',
  messages: {
    character: {
      message: '`{key}` has a character that no authority issues for: {letter}',
      remedy: 'Use letters and digits in the name.',
    },
    hyphens: {
      message: '`{key}` has hyphens in the third and fourth place of {label}, which is kept for coded names.',
      remedy: 'Write the name with one hyphen, or with another beginning.',
    },
  },
});

export const nameNotIssued: Rule = {
  card: words,
  check: ({ map }) =>
    map.roads.flatMap(({ key, name, display, where }) => {
      if (isWildcard(name)) return [];
      const about = { roads: [name], where };
      // Letters, marks and digits of any script, and what joins them; not signs and pictures.
      const letter = /[^\p{L}\p{M}\p{Nd}.\u00b7\u0375\u05f3\u05f4\u200c\u200d\u30fb-]/u.exec(display)?.[0];
      if (letter !== undefined) return [tell(words, { say: 'character', data: { key, letter }, ...about })];
      const label = name.split('.').find((one) => one.slice(2, 4) === '--' && !one.startsWith('xn--'));
      return label === undefined ? [] : [tell(words, { say: 'hyphens', data: { key, label }, ...about })];
    }),
};
