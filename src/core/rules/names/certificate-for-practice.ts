import { shownAuthority } from '../../certificates/attempts.ts';
import { isOfPractice } from '../../certificates/lack.ts';
import { card, tell } from '../../findings/card.ts';
import type { Finding } from '../../findings/finding.ts';
import { isPracticeFront } from '../../plan/practice-front.ts';
import { commandFor, lackIn } from './no-certificate.ts';
import type { Facts, Rule } from '../rule.ts';

const words = card({
  id: 'certificate-for-practice',
  severity: 'warning',
  summary: 'The stored certificates are practice ones, or from another authority than on the map.',
  why: 'Only machines on which you installed the practice authority accept those for practice; nobody accepts those of a staging authority.',
  source: 'RFC 5280 §6.1: trust anchors',
  messages: {
    practice: {
      message: 'The certificates stored for {names} are practice ones. The map asks for the authority’s.',
      remedy: 'Run: {command}',
    },
    authority: {
      message: 'The certificate stored for {names} is from {issuer}, but the map says {wanted}.',
      remedy: 'Run: {command}',
    },
    leftover: {
      message: 'The map has no authority, so these are practice certificates: other people’s browsers warn.',
      remedy:
        'Good for practice. For visitors, add to the map: `acme: {directory: production}`, then: mile-marker certs obtain. Or import your own files: mile-marker certs import FILES',
    },
  },
});

export const certificateForPractice: Rule = {
  card: words,
  check: (facts) => practiceFindings(facts),
};

function practiceFindings(facts: Facts): Finding[] {
  const { plan, map } = facts;
  const replaced = [...tellReplaced(facts, 'practice'), ...tellReplaced(facts, 'other-authority')];
  if (replaced.length > 0) return replaced;
  const held = plan.certificates.flatMap(({ id }) => facts.certificates.get(id) ?? []);
  if (!held.some(isOfPractice) || map.acme !== null || isPracticeFront(plan.front)) return [];
  return [tell(words, { say: 'leftover', severity: 'note', where: plan.front.where, cause: 'certificates:leftover' })];
}

/** All that are not from the authority of the map, for one reason, in one finding. */
function tellReplaced(facts: Facts, lack: 'practice' | 'other-authority'): Finding[] {
  const { plan, map, issuedBy } = facts;
  const replaced = plan.certificates.filter((planned) => lackIn(facts, planned) === lack);
  const [first] = replaced;
  if (first === undefined) return [];
  const data = {
    names: replaced.flatMap(({ names }) => names),
    command: commandFor(first),
    issuer: issuedBy.get(first.id) ?? '',
    wanted: shownAuthority(map.acme?.directory ?? 'production'),
  };
  const ids = new Set(replaced.map(({ id }) => id));
  const roads = plan.roads.filter(({ certificate }) => ids.has(certificate)).map(({ name }) => name);
  const say = lack === 'practice' ? 'practice' : 'authority';
  return [tell(words, { say, data, roads, severity: 'warning', cause: `certificates:${say}` })];
}
