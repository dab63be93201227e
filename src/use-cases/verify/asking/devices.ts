import { playDevices, type PlayedDevices } from '../../../adapters/certificates/played-devices.ts';
import { removedLast } from '../../../core/devices/ledger.ts';
import { checksOf } from '../../../core/gates/check.ts';
import { nameThatPasses } from '../../../core/gates/devices.ts';
import { noDevice, type ShownDevice } from '../../../core/gates/kind.ts';
import type { Plan, PlannedRoad } from '../../../core/plan/plan.ts';
import { roadFinder } from '../../../core/plan/wildcard-road.ts';
import { deviceAuthority, loadDevices } from '../../map/devices.ts';
import type { Site } from '../../map/load.ts';

/**
 * What is shown to names that ask for a device.
 *
 * @property shownFor what their tests show there @property certificate of what is to be shown; null for nothing @property canPlay of every kind
 */
export interface DevicesShown {
  shownFor: (name: string) => ShownDevice;
  certificate: PlayedDevices;
  canPlay: boolean;
}

export const noDevices: DevicesShown = { shownFor: () => noDevice, certificate: () => null, canPlay: false };

/** Devices that exist for one run, made by the map's own authority. None where its key cannot be read: `check` says what is wrong with it. */
export async function devicesShown({ plan, paths }: Site, now: Date): Promise<DevicesShown> {
  const asking = plan.roads.filter(({ gate }) => checksOf(gate, 'devices').length > 0);
  if (asking.length === 0) return noDevices;
  const ledger = await loadDevices(paths).catch(() => null);
  const authority = ledger === null ? null : await deviceAuthority(paths).catch(() => null);
  if (ledger === null || authority === null) return noDevices;
  const names = [...new Set(asking.flatMap(({ gate }) => nameThatPasses(gate) ?? []))];
  const certificate = await playDevices({ authority, names, removed: removedLast(ledger), now });
  return { shownFor: shownOn(plan, ({ gate }) => nameThatPasses(gate)), certificate, canPlay: true };
}

/** A device that somebody else has shown. @param name of it */
export function deviceSeen(plan: Plan, name: string | null): DevicesShown {
  return name === null ? noDevices : { ...noDevices, shownFor: shownOn(plan, () => name) };
}

function shownOn({ roads }: Plan, nameOf: (road: PlannedRoad) => string | null): DevicesShown['shownFor'] {
  const roadOf = roadFinder(roads);
  return (asked) => {
    const road = roadOf(asked);
    const name = road === null || checksOf(road.gate, 'devices').length === 0 ? null : nameOf(road);
    return name === null ? noDevice : { state: 'good', name };
  };
}
