import type { ShownDevice } from '../../core/gates/kind.ts';
import { makeDevice } from './devices.ts';
import { makeAuthority, type Pair } from './make.ts';

/** Certificates by what they must be taken for; none where nothing is shown. @param as the name in one that must not count; by default the first that is played */
export type PlayedDevices = (device: ShownDevice | undefined, as?: string | null) => Pair | null;

const hourMs = 60 * 60 * 1000;

/**
 * Makes devices that exist for one run, of every kind that a front must tell apart.
 *
 * @param names of the devices that are played @param removed a serial number in the list of removed ones @param days how long the good ones count
 */
export async function playDevices({
  authority,
  names,
  removed,
  now,
  days = 1 / 24,
}: {
  authority: Pair;
  names: readonly string[];
  removed: string;
  now: Date;
  days?: number;
}): Promise<PlayedDevices> {
  const stranger = await makeAuthority({ name: 'authority of nobody', now });
  const earlier = new Date(now.getTime() - 48 * hourMs);
  const all = names.length > 0 ? names : ['device'];
  const made = await Promise.all(
    all.map(async (name): Promise<[string, Record<Exclude<ShownDevice['state'], 'none'>, Pair>]> => [
      name,
      {
        good: await makeDevice({ name, authority, now, days }),
        removed: await makeDevice({ name, authority, now, days, serial: removed }),
        ended: await makeDevice({ name, authority, now: earlier, from: earlier, days: 1 }),
        foreign: await makeDevice({ name, authority: stranger, now, days }),
      },
    ]),
  );
  const byName = new Map(made);
  return (device, as) => {
    if (device === undefined || device.state === 'none') return null;
    if (device.state === 'good') return names.includes(device.name) ? (byName.get(device.name)?.good ?? null) : null;
    return (byName.get(as ?? '') ?? made[0]?.[1])?.[device.state] ?? null;
  };
}
