import type { DeviceState, ShownDevice } from '../../core/gates/kind.ts';
import { makeDevice } from './devices.ts';
import { makeAuthority, type Pair } from './make.ts';

/** Certificates by what they must be taken for; none where nothing is shown. */
export type PlayedDevices = (device: ShownDevice | undefined) => Pair | null;

const hourMs = 60 * 60 * 1000;

/**
 * Makes devices that exist for one run, of every kind that a front must tell apart.
 *
 * @param names devices that are played as good ones @param removed a serial number in the list of removed ones @param days how long the good ones count
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
  const name = names[0] ?? 'device';
  const stranger = await makeAuthority({ name: 'authority of nobody', now });
  const good = await Promise.all(
    names.map(async (one) => [one, await makeDevice({ name: one, authority, now, days })] as const),
  );
  const byName = new Map<string, Pair>(good);
  const earlier = new Date(now.getTime() - 48 * hourMs);
  const others: Record<Exclude<DeviceState, 'none'>, Pair> = {
    removed: await makeDevice({ name, authority, now, days, serial: removed }),
    ended: await makeDevice({ name, authority, now: earlier, from: earlier, days: 1 }),
    foreign: await makeDevice({ name, authority: stranger, now, days }),
  };
  return (device) => {
    if (device === undefined || device.state === 'none') return null;
    return device.state === 'good' ? (byName.get(device.name) ?? null) : others[device.state];
  };
}
