import { type PlannedGate, checkOf } from '../../gates/check.ts';
import { card } from '../../findings/card.ts';
import type { PlannedRoad } from '../../plan/plan.ts';
import type { DirectEvidence } from '../service/direct.ts';
import { untested, type LegResult, type Problem } from '../leg.ts';
import { serviceItself } from '../service/service.ts';

const hidden = card({
  id: 'not-tested-behind-gate',
  severity: 'note',
  summary: 'A gate correctly refuses this machine, so the road behind it was not tested completely.',
  why: 'The service was asked directly, if it can be reached from here. It is not known whether visitors who may pass reach it.',
  source: 'map reference: `gates`',
  messages: {
    people: {
      message: '{names}: not tested behind the gate `{gate}`, which asks for a password.',
      remedy: 'Test it with a login: mile-marker verify --login FILE',
    },
    asked: {
      message:
        '{names}: not tested behind the gate `{gate}`, whose service does not let this machine in without a login.',
      remedy: 'Sign in with a browser, and look: mile-marker verify --links',
    },
    device: {
      message: '{names}: not tested behind the gate `{gate}`, which lets devices pass, and none could be shown.',
      remedy:
        'Run verify as the user who owns the map. On another machine, give the script a device: DEVICE=phone.p12:PASSWORD sh look.sh',
    },
    networks: {
      message: '{names}: not tested behind the gate `{gate}`, which refuses this machine as the map says.',
      remedy:
        'Run this on a machine that the gate lets in: mile-marker verify. Or print a script that needs no installation there: mile-marker verify --script',
    },
    router: {
      message:
        '{names}: not tested behind the gate `{gate}`. The router shows the front another address for this machine, which is not in `home`.',
      remedy:
        'Test it at the home address: mile-marker verify --at {at}. Devices at home are refused too. For them write under `front`: home: [{home}], then add these records to the resolver at home: mile-marker dns records --view home --hosts',
    },
    routerKnown: {
      message:
        '{names}: not tested behind the gate `{gate}`. The router shows the front another address for this machine, which is not in `home`.',
      remedy:
        'Test it at the home address: mile-marker verify --at {at}. For devices at home, add these records to the resolver at home: mile-marker dns records --view home --hosts',
    },
    both: {
      message: '{names}: not tested behind the gate `{gate}`, which refuses this machine as the map says.',
      remedy: 'Run this on a machine that the gate lets in: mile-marker verify --login FILE',
    },
  },
});

export const behindGateCards = [hidden];

/**
 * A router between this machine and the front on it, which hides that we are at home.
 *
 * @property address of this machine at home @property isWritten it is in the map @property at what to write after `--at` to go there directly
 */
export interface HidingRouter {
  address: string;
  isWritten: boolean;
  at: string;
}

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
  { isHere, isSound, router }: { isHere: boolean; isSound: boolean; router: HidingRouter | null },
): LegResult {
  const itself = own === null ? null : serviceItself(own, { isHere });
  return itself ?? untested('service', 'behind-gate', isSound ? [notTested(road, router)] : []);
}

function notTested({ gate }: PlannedRoad, router: HidingRouter | null): Problem {
  const cause = `behind-gate:${gate.name}`;
  if (router !== null) {
    const { at, address } = router;
    // YAML takes a bare colon for a key.
    const data = { gate: gate.name, at, home: address.includes(':') ? `"${address}"` : address };
    return { card: hidden, say: router.isWritten ? 'routerKnown' : 'router', data, cause };
  }
  return { card: hidden, say: wayIn(gate), data: { gate: gate.name }, cause };
}

/** What somebody needs to pass: a password, to come from somewhere, or both. */
function wayIn({ parts }: PlannedGate): 'people' | 'networks' | 'both' | 'asked' | 'device' {
  if (parts.some((part) => checkOf(part, 'asks') !== null)) return 'asked';
  if (parts.some((part) => checkOf(part, 'devices') !== null)) return 'device';
  const needsPlace = parts.some(({ checks, need }) => {
    const kinds = checks.map(({ kind }) => kind);
    return kinds.includes('networks') && (kinds.length === 1 || need === 'all');
  });
  const needsPerson = parts.some((part) => checkOf(part, 'people') !== null);
  return needsPerson ? (needsPlace ? 'both' : 'people') : 'networks';
}
