import { withPort } from '../networks/address.ts';
import type { PlannedLeads, PlannedRoad } from '../plan/plan.ts';

/** For whoever reads a written file: what its road does. @param told the parts to tell of */
export function leadsWords({ paused, parts, gate }: PlannedRoad, told = parts): string[] {
  if (paused) return ['Paused.'];
  return [
    ...[...told].reverse().map(({ prefix, leads }) => `${prefix === '/' ? '' : `${prefix}: `}${wordsOf(leads)}`),
    `Gate: ${gate.name}.`,
  ];
}

function wordsOf(leads: PlannedLeads): string {
  if (leads.kind === 'redirect') return `Redirects to ${leads.url}.`;
  if (leads.kind === 'folder') return `Shows the folder ${leads.path}.`;
  if (leads.upstream === null) return 'Leads nowhere yet.';
  const { scheme, host, port, why } = leads.upstream;
  return `Leads to ${scheme}://${withPort(host, port)}: ${why}.`;
}
