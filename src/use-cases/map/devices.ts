import { lstat } from 'node:fs/promises';
import { dirname } from 'node:path';
import type { Pair } from '../../adapters/certificates/make.ts';
import { readText } from '../../adapters/files/read-text.ts';
import { ensureFolder, writeWhole } from '../../adapters/files/safe-write.ts';
import { ensureState, type StatePaths } from '../../adapters/files/state-folder.ts';
import { Trouble } from '../../adapters/trouble.ts';
import { ledgerText, readLedger, removedSerials, withoutDevice, type DeviceLedger } from '../../core/devices/ledger.ts';
import { deviceFiles, digestOfList } from '../../adapters/files/device-files.ts';
import { deviceName } from '../../core/gates/devices.ts';

const dayMs = 24 * 60 * 60 * 1000;
const freshDays = 365;

// The certificate library is loaded by those commands only that make something.
const maker = () => import('../../adapters/certificates/devices.ts');

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

/** Another authority would cut off every device that has a certificate of this one. */
function withoutLedger({ ledger, authority }: ReturnType<typeof deviceFiles>): Trouble {
  return new Trouble({
    code: 'devices-broken',
    message: `${ledger} is missing, which says which devices there are.`,
    remedy: `Put it back from a copy. If no device was ever added, remove ${authority} and run this again.`,
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
  const files = deviceFiles(paths);
  if ((await lstat(files.authority).catch(() => null)) !== null) throw withoutLedger(files);
  const { makeAuthority, serial } = await import('../../adapters/certificates/make.ts');
  await ensureState(paths);
  await ensureFolder(paths.devices);
  await ensureFolder(paths.deviceKeys, 0o700);
  const authority = await makeAuthority({
    name: `Devices of Mile Marker, made ${now.toISOString().slice(0, 10)}`,
    now,
  });
  const empty = { spare: serial(), list: { digest: '', ends: '' }, certificates: [] };
  await writeWhole(files.key, authority.key, 0o600);
  await writeWhole(files.authority, authority.certificate);
  // The ledger comes last: it stands for all of them.
  return { ledger: await writeList({ paths, now }, empty, authority), authority };
}

/** Writes the list of removed devices, and the ledger that says so. */
async function writeList({ paths, now }: ChangeInput, ledger: DeviceLedger, authority: Pair): Promise<DeviceLedger> {
  const { makeRemovedList, removedDays } = await maker();
  const at = new Map(ledger.certificates.map(({ serial, removed }) => [serial, removed]));
  const removed = removedSerials(ledger).map((serial) => ({ serial, at: new Date(at.get(serial) ?? now) }));
  const text = await makeRemovedList({ authority, removed, now });
  const list = { digest: digestOfList(text), ends: new Date(now.getTime() + removedDays * dayMs).toISOString() };
  const next = { ...ledger, list };
  await writeWhole(deviceFiles(paths).removed, text);
  await writeWhole(deviceFiles(paths).ledger, ledgerText(next), 0o600);
  return next;
}

/** @property bundle what is imported on the device @property ends of its certificate */
interface DeviceMade {
  bundle: Buffer;
  ends: Date;
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
  // Before anybody has it: what is not in the list could not be removed.
  const made = { name, serial, made: now.toISOString(), ends: ends.toISOString(), removed: null };
  const next = { ...ledger, certificates: [...ledger.certificates, made] };
  await writeWhole(deviceFiles(paths).ledger, ledgerText(next), 0o600);
  return { bundle, ends };
}

/** Takes a device out. Done again it only writes the list anew. @throws Trouble `device-unknown` */
export async function removeDevice({ paths, now, name }: ChangeInput & { name: string }): Promise<void> {
  const ledger = await loadDevices(paths);
  if (ledger?.certificates.some((one) => one.name === name) !== true) throw unknownDevice(name, ledger);
  const next = withoutDevice(ledger, name, now);
  // Cut short from here on, the list is known not to be the one that must be written.
  await writeWhole(deviceFiles(paths).ledger, ledgerText({ ...next, list: { ...next.list, digest: '' } }), 0o600);
  await writeList({ paths, now }, next, await deviceAuthority(paths));
}

/** Makes the list of removed devices anew where it is not the one that was written last, or ends within a year. */
export async function freshenRemoved({ paths, now }: ChangeInput): Promise<boolean> {
  const ledger = await loadDevices(paths);
  if (ledger === null) return false;
  const text = await readText({ path: deviceFiles(paths).removed, what: 'list of removed devices' }).catch(() => '');
  const isWritten = digestOfList(text) === ledger.list.digest;
  if (isWritten && new Date(ledger.list.ends).getTime() > now.getTime() + freshDays * dayMs) return false;
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
