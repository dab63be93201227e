import { card } from '../findings/card.ts';
import type { PlannedGate, PlannedRoad } from '../plan/plan.ts';
import type { DirectEvidence } from './direct.ts';
import { untested, type LegResult, type Problem } from './leg.ts';
import { serviceItself } from './service.ts';

const hidden = card({
  id: 'not-tested-behind-gate',
  severity: 'note',
  summary: 'A gate rightly refuses this machine, so what is behind it was not tested from end to end.',
  why: 'The service itself was asked directly, as far as it can be reached from here. Whether visitors who may pass get to it is not known.',
  source: 'map reference: `gates`',
  messages: {
    people: {
      message: '{names}: not tested behind the gate `{gate}`, which asks for a password.',
      remedy: 'Test it with a login: mile-marker verify --login FILE',
    },
    networks: {
      message: '{names}: not tested behind the gate `{gate}`, which refuses this machine as the map says.',
      remedy:
        'Run this on a machine that the gate lets in: mile-marker verify. Or print a script for one on which nothing is installed: mile-marker verify --script',
    },
    both: {
      message: '{names}: not tested behind the gate `{gate}`, which refuses this machine as the map says.',
      remedy: 'Run this on a machine that the gate lets in: mile-marker verify --login FILE',
    },
  },
});

export const behindGateCards = [hidden];

/**
 * What can be said of a service behind a gate that keeps this machine out: what is wrong with it when it is asked directly, or that it was not
 * tested to its end.
 *
 * @param own what the service answers directly; null for what is no service
 * @param isHere this is the machine of the front, where its services are dialled
 * @param isSound the gate refused as the map says: then there is nothing else that says why
 */
export function judgeBehindGate(
  road: PlannedRoad,
  own: DirectEvidence | null,
  { isHere, isSound }: { isHere: boolean; isSound: boolean },
): LegResult {
  const itself = own === null ? null : serviceItself(own, { isHere });
  return itself ?? untested('service', 'behind-gate', isSound ? [notTested(road)] : []);
}

function notTested({ gate }: PlannedRoad): Problem {
  return { card: hidden, say: wayIn(gate), data: { gate: gate.name }, cause: `behind-gate:${gate.name}` };
}

/** What somebody needs to pass: a password, to come from somewhere, or both. */
function wayIn({ parts }: PlannedGate): 'people' | 'networks' | 'both' {
  const needsPlace = parts.some(
    ({ people, networks, need }) => networks !== null && (people === null || need === 'all'),
  );
  const needsPerson = parts.some(({ people }) => people !== null);
  return needsPerson ? (needsPlace ? 'both' : 'people') : 'networks';
}
