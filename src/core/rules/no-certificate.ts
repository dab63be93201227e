import { covers, type CertificateFacts } from '../certificates/cover.ts';
import { card, tell } from '../findings/card.ts';
import type { Evidence, Finding } from '../findings/finding.ts';
import type { PlannedCertificate } from '../plan/plan.ts';
import type { Facts, Rule } from './rule.ts';

const words = card({
  id: 'no-certificate',
  severity: 'error',
  summary: 'A name on the map has no certificate that covers it today.',
  why: 'The front then shows a throwaway certificate without names, and every browser refuses it.',
  source: 'RFC 9525 §6.3; RFC 5280 §4.1.2.5',
  messages: {
    missing: { message: 'No certificate is held for {names}.', remedy: 'Run: mile-marker certs make' },
    'other-name': {
      message: 'The certificate held for {names} does not cover it.',
      remedy: 'Run: mile-marker certs make',
    },
    ended: {
      message: 'The certificate held for {names} is out of its dates ({from} to {to}).',
      remedy: 'Run: mile-marker certs make',
    },
  },
});

type Say = keyof typeof words.messages;

export const noCertificate: Rule = {
  card: words,
  check: (facts) => {
    const bad = facts.plan.certificates.map((planned) => ({ planned, state: stateOf(planned, facts) }));
    const missing = bad.filter(({ state }) => state === 'missing').flatMap(({ planned }) => planned.names);
    const others = bad.flatMap(({ planned, state }) =>
      state === null || state === 'missing' ? [] : [tellOf(planned, state, facts)],
    );
    if (missing.length === 0) return others;
    const where =
      missing.length === 1 ? (facts.plan.roads.find(({ name }) => name === missing[0])?.where ?? null) : null;
    return [
      tell(words, { say: 'missing', data: { names: missing }, roads: missing, cause: 'certificates:missing', where }),
      ...others,
    ];
  },
};

function stateOf({ id, names }: PlannedCertificate, { certificates, now }: Facts): Say | null {
  const held = certificates.get(id) ?? null;
  if (held === null || isThrowaway(held)) return 'missing';
  if (!names.every((name) => covers(held.dnsNames, name))) return 'other-name';
  return now < held.notBefore || now >= held.notAfter ? 'ended' : null;
}

/** The stand-in that lets a server start before there is a certificate: self-made and without any name. */
function isThrowaway({ selfMade, dnsNames }: CertificateFacts): boolean {
  return selfMade && dnsNames.length === 0;
}

function tellOf({ id, names }: PlannedCertificate, say: Say, { certificates, plan }: Facts): Finding {
  const held = certificates.get(id);
  const data: Evidence = { names, from: day(held?.notBefore), to: day(held?.notAfter) };
  const where = plan.roads.find(({ certificate }) => certificate === id)?.where ?? null;
  return tell(words, { say, data, roads: names, cause: `certificate:${id}`, where });
}

function day(time: number | undefined): string {
  return time === undefined ? '' : new Date(time).toISOString().slice(0, 10);
}
