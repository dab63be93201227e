import { mkdir, writeFile } from 'node:fs/promises';
import { dirname } from 'node:path';
import { playDevices, type PlayedDevices } from '../../adapters/certificates/played-devices.ts';
import { makeRemovedList } from '../../adapters/certificates/devices.ts';
import { makeAuthority, serial } from '../../adapters/certificates/make.ts';
import { checksOf } from '../../core/gates/check.ts';
import type { Plan } from '../../core/plan/plan.ts';

/** Devices of the rehearsal's own, by an authority in the place of the map's: its key is nobody's to use. Null where no gate asks for a device. */
export async function setDevices({ roads }: Plan, names: readonly string[], now: Date): Promise<PlayedDevices | null> {
  const [check] = roads.flatMap(({ gate }) => checksOf(gate, 'devices'));
  if (check === undefined) return null;
  const authority = await makeAuthority({ name: 'authority of devices in a rehearsal', now });
  const removed = serial();
  await mkdir(dirname(check.authority), { recursive: true });
  await writeFile(check.authority, authority.certificate);
  await writeFile(check.removed, await makeRemovedList({ authority, removed: [{ serial: removed, at: now }], now }));
  return playDevices({ authority, names, removed, now });
}
