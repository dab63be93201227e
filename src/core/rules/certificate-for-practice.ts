import type { CertificateFacts } from '../certificates/cover.ts';
import { practiceName } from '../certificates/practice-name.ts';
import { card, tell } from '../findings/card.ts';
import type { Finding } from '../findings/finding.ts';
import { isPracticeFront } from '../plan/practice-front.ts';
import { commandFor } from './no-certificate.ts';
import type { Facts, Rule } from './rule.ts';

const words = card({
  id: 'certificate-for-practice',
  severity: 'warning',
  summary: 'The stored certificates are for practice, and visitors want others.',
  why: 'Only machines on which you installed the practice authority accept them.',
  source: 'RFC 5280 §6.1: trust anchors',
  messages: {
    practice: {
      message:
        'The certificates stored for {names} are for practice, and the map says that they come from the authority.',
      remedy: 'Run: {command}',
    },
    leftover: {
      message: 'The map has no authority, so the certificates are for practice: browsers of other people warn.',
      remedy:
        'Good for practice. For visitors, add to the map: `acme: {directory: production}`, then: mile-marker certs obtain. Or bring files of yours: mile-marker certs import FILES',
    },
  },
});

export const certificateForPractice: Rule = {
  card: words,
  check: (facts) => practiceFindings(facts),
};

function practiceFindings(facts: Facts): Finding[] {
  const { plan, map } = facts;
  const held = plan.certificates.filter(({ id }) => isOfPractice(facts.certificates.get(id) ?? null));
  const replaced = held.filter(({ from }) => from === 'acme');
  const [first] = replaced;
  if (first !== undefined) {
    const data = { names: replaced.flatMap(({ names }) => names), command: commandFor(first) };
    const ids = new Set(replaced.map(({ id }) => id));
    const roads = plan.roads.filter(({ certificate }) => ids.has(certificate)).map(({ name }) => name);
    return [tell(words, { say: 'practice', data, roads, severity: 'warning', cause: 'certificates:practice' })];
  }
  if (held.length === 0 || map.acme !== null || isPracticeFront(plan.front)) return [];
  return [tell(words, { say: 'leftover', severity: 'note', where: plan.front.where, cause: 'certificates:leftover' })];
}

/** The practice authority names itself in what it issues. */
function isOfPractice(held: CertificateFacts | null): boolean {
  return held !== null && held.issuer.includes(practiceName);
}
