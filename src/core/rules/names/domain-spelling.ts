import { distance } from 'fastest-levenshtein';
import { card, tell } from '../../findings/card.ts';
import { isUnder } from '../../names/host-name.ts';
import type { Rule } from '../rule.ts';

const misspelt = card({
  id: 'domain-misspelt',
  severity: 'warning',
  summary: 'A domain on the map is spelled slightly differently from the front’s name.',
  why: 'One of the two is a typo. With a wrong domain every road has a name that is not yours.',
  source: 'map reference: `domains`, `front.address`',
  messages: {
    near: {
      message: '`domains` says {domain}, and `front.address` is {name}, of {right}.',
      remedy: 'Correct the one that is wrong: mile-marker set front.address NAME, or write {right} under `domains`.',
    },
  },
});

/** Two letters that changed places count as two slips; short names are near each other by chance. */
const mostSlips = 2;
const fewestLetters = 10;

export const domainMisspelt: Rule = {
  card: misspelt,
  check: ({ map, plan }) => {
    for (const name of plan.front.names) {
      if (map.domains.some((domain) => isUnder(name, domain))) continue;
      const labels = name.split('.');
      for (const domain of map.domains) {
        const right = labels.slice(-domain.split('.').length).join('.');
        if (right === domain || domain.length < fewestLetters || distance(right, domain) > mostSlips) continue;
        const data = { domain, name, right };
        return [tell(misspelt, { say: 'near', data, where: map.front.where, cause: `domain:${domain}` })];
      }
    }
    return [];
  },
};
