import { covers } from '../certificates/cover.ts';
import { indexed } from '../indexed.ts';
import { isWildcard } from '../names/wildcard.ts';
import type { Plan, PlannedCertificate } from '../plan/plan.ts';
import { roadsShowing } from '../plan/roads-showing.ts';
import { escapePattern, oneLabel } from './pattern.ts';

const made = new WeakMap<PlannedCertificate, string>();

/** The names for which a certificate is shown, as a regular expression for all of a name. */
export function shownPattern(plan: Plan, certificate: PlannedCertificate | undefined): string {
  if (certificate === undefined) return '';
  const before = made.get(certificate);
  if (before !== undefined) return before;
  const pattern = make(plan, certificate);
  made.set(certificate, pattern);
  return pattern;
}

function make(plan: Plan, certificate: PlannedCertificate): string {
  const roads = indexed(plan.roads, 'name');
  // Names for which another certificate is shown, though this one covers them too.
  const isOthers = (name: string): boolean => (roads.get(name)?.certificate ?? certificate.id) !== certificate.id;
  const names = certificate.names.filter((name) => !isOthers(name));
  // All other names may show another wildcard than the one that a name of its own shows.
  const alone = roadsShowing(plan, certificate.id)
    .map(({ name }) => name)
    .filter((name) => !covers(names, name) && !names.includes(name));
  return [...names, ...alone]
    .map((name) => {
      if (!isWildcard(name)) return escapePattern(name);
      const apart = plan.roads.map((road) => road.name).filter((other) => covers([name], other) && isOthers(other));
      const without = apart.length === 0 ? '' : `(?!(?:${apart.map(escapePattern).join('|')})\\.?$)`;
      return `${without}${oneLabel}${escapePattern(name.slice(1))}`;
    })
    .join('|');
}
