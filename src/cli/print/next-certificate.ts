import type { Plan, PlannedCertificate } from '../../core/plan/plan.ts';
import { programOf } from '../../core/proxies/programs.ts';
import { commandFor } from '../../core/rules/names/no-certificate.ts';

const obtain = 'mile-marker certs obtain';

/** What to do next about certificates that are missing, as one line. @param missing at least one */
export function nextCertificate(missing: readonly PlannedCertificate[], { front }: Plan): string {
  const first = soonest(missing);
  if (first !== null) return `next: ${first}\n`;
  const live = programOf(front.proxy).words.first(front);
  return `next: ${live}\nthen: ${obtain} (the front answers the challenge)\n`;
}

/** The same beside the way of bringing the front live, which is `next` in one line or more. */
export function withCertificates(missing: readonly PlannedCertificate[], next: string): string {
  const first = soonest(missing);
  if (first === null) return `${next}then: ${obtain}\n`;
  return `next: ${first}\n${next.replace(/^next:/, 'then:')}`;
}

/** The command that needs no front, or null when all that is missing is proven by the front itself. */
function soonest(missing: readonly PlannedCertificate[]): string | null {
  const first = missing.find(({ from, challenge }) => from !== 'acme' || challenge === 'dns');
  return first === undefined ? null : commandFor(first);
}
