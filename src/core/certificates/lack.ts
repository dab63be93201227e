import type { PlannedCertificate } from '../plan/plan.ts';
import { covers, type CertificateFacts, type HeldCertificate } from './cover.ts';
import { practiceName } from './practice-name.ts';

/** Why what is stored is not what the map wants: there is none, its key is another one's, so that no server takes it, it lacks a name, it is not valid now, or somebody else issued it. */
export type Lack = 'missing' | 'other-key' | 'other-name' | 'ended' | 'practice' | 'other-authority';

/** @property issuedBy the authority that the last order for it succeeded at; null when none did @property wanted the one of the map */
interface LackInput {
  planned: Pick<PlannedCertificate, 'names' | 'from'>;
  held: (CertificateFacts & Partial<Pick<HeldCertificate, 'keyFits'>>) | null;
  issuedBy: string | null;
  wanted: string | null;
  now: number;
}

/** Null when what is stored is what the map wants. When it should be renewed is another question. */
export function lackOf({ planned, held, issuedBy, wanted, now }: LackInput): Lack | null {
  const { names, from } = planned;
  const real = realOne(held);
  if (real === null) return 'missing';
  if (real.keyFits === false) return 'other-key';
  if (uncovered(names, real).length > 0) return 'other-name';
  if (now < real.notBefore || now >= real.notAfter) return 'ended';
  if (from !== 'acme') return null;
  if (isOfPractice(real)) return 'practice';
  return issuedBy !== null && issuedBy !== wanted ? 'other-authority' : null;
}

/** A wildcard is covered by the same wildcard only. */
export function uncovered(names: readonly string[], { dnsNames }: CertificateFacts): string[] {
  return names.filter((name) => !dnsNames.includes(name) && !covers(dnsNames, name));
}

/** What is held and could be shown to a visitor, or null: a throwaway one is as good as none. */
export function realOne<Held extends CertificateFacts>(held: Held | null | undefined): Held | null {
  return held === null || held === undefined || isThrowaway(held) ? null : held;
}

/** The stand-in that lets a server start before there is a certificate: self-made and without any name. */
function isThrowaway({ selfMade, dnsNames }: CertificateFacts): boolean {
  return selfMade && dnsNames.length === 0;
}

/** The practice authority names itself in what it issues. */
export function isOfPractice(held: CertificateFacts): boolean {
  return held.issuer.includes(practiceName);
}
