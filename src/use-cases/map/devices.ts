import { lstat } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import type { Pair } from '../../adapters/certificates/make.ts';
import { readText } from '../../adapters/files/read-text.ts';
import { ensureFolder, writeWhole } from '../../adapters/files/safe-write.ts';
import { ensureState, type StatePaths } from '../../adapters/files/state-folder.ts';
import { Trouble } from '../../adapters/trouble.ts';
import { ledgerText, readLedger, removedSerials, withoutDevice, type DeviceLedger } from '../../core/devices/ledger.ts';
import { deviceName } from '../../core/gates/devices.ts';

// The certificate library is loaded by those commands only that make something.
const maker = () => import('../../adapters/certificates/devices.ts');

/**
 * Where the devices of a map are kept. What a front reads is in a folder of its own, which a container is given; the key is in none that anybody is given.
 */
export function deviceFiles(paths: Pick<StatePaths, 'devices' | 'deviceKeys'>) {
  return {
    authority: join(paths.devices, 'authority.pem'),
    removed: join(paths.devices, 'removed.crl'),
    key: join(paths.deviceKeys, 'authority.key'),
    ledger: join(paths.deviceKeys, 'devices.json'),
  };
}

/** The devices of a map; null where none was ever added. @throws Trouble `devices-broken` */
export async function loadDevices(paths: StatePaths): Promise<DeviceLedger | null> {
  const { ledger: path } = deviceFiles(paths);
  if ((await lstat(path).catch(() => null)) === null) return null;
  const ledger = readLedger(await readText({ path, what: 'list of devices' }));
  if (ledger !== null) return ledger;
  throw broken(path, 'it is no list of devices of this program');
}

function broken(path: string, why: string): Trouble {
  return new Trouble({
    code: 'devices-broken',
    message: `${path} cannot be used: ${why}.`,
    remedy: `Put it back from a copy of the folder ${dirname(dirname(path))}. Devices that have a certificate go on working.`,
  });
}

/** The authority of the map's devices. @throws Trouble `devices-broken`, `unreadable` */
export async function deviceAuthority(paths: StatePaths): Promise<Pair> {
  const files = deviceFiles(paths);
  return {
    certificate: await readText({ path: files.authority, what: 'certificate of the device authority' }),
    key: await readText({ path: files.key, what: 'key of the device authority' }),
  };
}

interface ChangeInput {
  paths: StatePaths;
  now: Date;
}

/** The ledger and the authority, made where the map has none yet. */
async function ensureDevices({ paths, now }: ChangeInput): Promise<{ ledger: DeviceLedger; authority: Pair }> {
  const held = await loadDevices(paths);
  if (held !== null) return { ledger: held, authority: await deviceAuthority(paths) };
  const { makeAuthority, serial } = await import('../../adapters/certificates/make.ts');
  await ensureState(paths);
  await ensureFolder(paths.devices);
  await ensureFolder(paths.deviceKeys, 0o700);
  const files = deviceFiles(paths);
  const authority = await makeAuthority({
    name: `Devices of Mile Marker, made ${now.toISOString().slice(0, 10)}`,
    now,
  });
  const ledger: DeviceLedger = { spare: serial(), certificates: [] };
  // The ledger comes last: it stands for all of them.
  await writeWhole(files.key, authority.key, 0o600);
  await writeWhole(files.authority, authority.certificate);
  await writeList({ paths, now }, ledger, authority);
  await writeWhole(files.ledger, ledgerText(ledger), 0o600);
  return { ledger, authority };
}

async function writeList({ paths, now }: ChangeInput, ledger: DeviceLedger, authority: Pair): Promise<void> {
  const { makeRemovedList } = await maker();
  const at = new Map(ledger.certificates.map(({ serial, removed }) => [serial, removed]));
  const removed = removedSerials(ledger).map((serial) => ({ serial, at: new Date(at.get(serial) ?? now) }));
  await writeWhole(deviceFiles(paths).removed, await makeRemovedList({ authority, removed, now }));
}

/** @property bundle what is imported on the device @property ends of its certificate @property isFirst the map had no device before */
interface DeviceMade {
  bundle: Buffer;
  pair: Pair;
  ends: Date;
  isFirst: boolean;
}

interface AddInput extends ChangeInput {
  name: string;
  days: number;
  password: string;
  form: 'old' | 'modern';
  /** The device has a certificate already, which goes on counting until it ends. */
  again: boolean;
}

/**
 * Makes key and certificate for a device. The key is kept nowhere but in what is returned.
 *
 * @throws Trouble `device-name`, `device-taken`, `device-unknown`
 */
export async function addDevice({ paths, now, name, days, password, form, again }: AddInput): Promise<DeviceMade> {
  assertDeviceName(name);
  const { ledger, authority } = await ensureDevices({ paths, now });
  const isKnown = ledger.certificates.some((one) => one.name === name && one.removed === null);
  if (again && !isKnown) throw unknownDevice(name, ledger);
  if (!again && isKnown)
    throw new Trouble({
      code: 'device-taken',
      message: `There is a device called \`${name}\` already.`,
      remedy: `Choose another name, or give it a new certificate: mile-marker devices renew ${name}`,
      exitCode: 2,
    });
  const { bundleDevice, makeDevice } = await maker();
  const { serial, ends, ...pair } = await makeDevice({ name, authority, now, days });
  const bundle = bundleDevice({ pair, authority: authority.certificate, name, password, form });
  const made = { name, serial, made: now.toISOString(), ends: ends.toISOString(), removed: null };
  const next = { ...ledger, certificates: [...ledger.certificates, made] };
  await writeWhole(deviceFiles(paths).ledger, ledgerText(next), 0o600);
  return { bundle, pair, ends, isFirst: ledger.certificates.length === 0 };
}

/** Takes a device out. Done again it only writes the list anew. @throws Trouble `device-unknown` */
export async function removeDevice({ paths, now, name }: ChangeInput & { name: string }): Promise<void> {
  const ledger = await loadDevices(paths);
  if (ledger?.certificates.some((one) => one.name === name) !== true) throw unknownDevice(name, ledger);
  const next = withoutDevice(ledger, name, now);
  await writeWhole(deviceFiles(paths).ledger, ledgerText(next), 0o600);
  await writeList({ paths, now }, next, await deviceAuthority(paths));
}

/** Makes the list of removed devices anew where it does not say what it must, or less than half of its time is left. */
export async function freshenRemoved({ paths, now }: ChangeInput): Promise<boolean> {
  const ledger = await loadDevices(paths);
  if (ledger === null) return false;
  const { readRemovedList, removedDays } = await maker();
  const text = await readText({ path: deviceFiles(paths).removed, what: 'list of removed devices' }).catch(() => '');
  const list = readRemovedList(text);
  const half = now.getTime() + (removedDays / 2) * 24 * 60 * 60 * 1000;
  const isWhole = removedSerials(ledger).every((serial) => list?.serials.includes(serial) === true);
  if (isWhole && (list?.ends?.getTime() ?? 0) > half) return false;
  await writeList({ paths, now }, ledger, await deviceAuthority(paths));
  return true;
}

function unknownDevice(name: string, ledger: DeviceLedger | null): Trouble {
  const known = [...new Set((ledger?.certificates ?? []).filter((one) => one.removed === null).map((one) => one.name))];
  return new Trouble({
    code: 'device-unknown',
    message: `There is no device called \`${name}\`.`,
    remedy: known.length === 0 ? `Add it: mile-marker devices add ${name}` : `Name one of: ${known.join(', ')}.`,
    exitCode: 2,
  });
}

function assertDeviceName(name: string): void {
  if (deviceName.test(name) && name !== 'any') return;
  throw new Trouble({
    code: 'device-name',
    message: `\`${name}\` cannot be the name of a device.`,
    remedy: 'Use small letters, digits and hyphens, at most 32, such as phone or edda-laptop.',
    exitCode: 2,
  });
}
