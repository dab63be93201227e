import * as z from 'zod';
import { about, oneOrMany, wants } from '../map/schema/words.ts';
import { byUnits } from '../by-units.ts';
import { checksOf, type DevicesCheck, type PlannedGate } from './check.ts';
import type { DeviceState, GateKind, ShownDevice } from './kind.ts';

/** What a device may be called: it is the common name of its certificate, and a word of every server's configuration. */
export const deviceName = /^[a-z0-9](?:[a-z0-9-]{0,30}[a-z0-9])?$/;

const wanted = '`any`, or the name of a device or a list of them, such as [phone, laptop]';
const name = z.string(wants(wanted)).regex(deviceName, wants('a name of small letters, digits and hyphens'));

/** What `tell` says for the name of the device. */
export const tellsDevice = 'device';

/** By this header a service is told which device it is. */
export const deviceHeader = 'remote-device';

/** Devices are known by a certificate of the map's own authority (RFC 5280, RFC 8446 §4.3.2). They show it in the handshake, so no password can be guessed. */
export const devices: GateKind<DevicesCheck, string[]> = {
  kind: 'devices',
  schema: oneOrMany(name, wanted).meta(
    about('Devices that may pass, by the certificate that you gave them; `any` for all of them.', '[phone, laptop]'),
  ),
  noun: 'a known device',
  onPorts: false,
  read: (written, { tell = [] }) => ({
    kind: 'devices',
    names: written.includes('any') ? null : [...new Set(written)].sort(byUnits),
    tell: tell.some((one) => one.toLowerCase() === tellsDevice),
    ...filesIn(''),
  }),
  place: (check, { mapFolder }) => ({ ...check, ...filesIn(`${mapFolder}/`) }),
  passes: ({ names }, { device }) => device.state === 'good' && (names === null || names.includes(device.name)),
  passedWords: (_, { device }) => `it is the device ${device.state === 'good' ? device.name : ''}`,
  refusal: ({ names }, { device }) => ({
    answers: { by: 'front', status: 403 },
    words:
      device.state === 'good' ? `${device.name} is none of ${(names ?? []).join(', ')}` : deviceWords[device.state],
  }),
  // Whoever is named is a device; what else it tells changes nothing of who passes.
  implies: (own, other) =>
    own.tell === other.tell &&
    own.authority === other.authority &&
    (other.names === null || own.names?.every((one) => other.names?.includes(one) === true) === true),
};

/** Where the authority of a map's devices is, and the list of those that were removed. @param base of the map's folder, with a slash at its end */
function filesIn(base: string): Pick<DevicesCheck, 'authority' | 'removed'> {
  return {
    authority: `${base}.mile-marker/devices/authority.pem`,
    removed: `${base}.mile-marker/devices/removed.crl`,
  };
}

/** What a handshake shows, in words for `explain`. */
export const deviceWords: Readonly<Record<DeviceState, string>> = {
  none: 'no device certificate was shown',
  removed: 'the certificate of this device was removed',
  ended: 'the certificate of this device has ended',
  foreign: 'the device shows a certificate that this map did not make',
};

/** What somebody reads whose certificate is refused: on every path of a name that asks for one. */
export const refusedDevice: Readonly<Record<Exclude<DeviceState, 'none'>, string>> = {
  removed: 'The certificate of this device was removed. Ask for a new one.\n',
  ended: 'The certificate of this device has ended. Ask for a new one.\n',
  foreign: 'The certificate of this device is not known here. Choose another one, or ask for one.\n',
};

/** Whether a certificate is shown that is refused whatever else may let somebody pass. */
export function isRefused(device: ShownDevice): device is { state: 'removed' | 'ended' | 'foreign' } {
  return device.state !== 'none' && device.state !== 'good';
}

/** The check for which a name asks for certificates; null where it asks for none. All of a map have the same authority. */
export function deviceCheckOf({ parts }: PlannedGate): DevicesCheck | null {
  for (const { checks } of parts) for (const check of checks) if (check.kind === 'devices') return check;
  return null;
}

/** What a device that exists for a test is called where any may pass. */
const anyName = 'verify';

/** The name of a device that passes every check of a gate; null where there is none. */
export function nameThatPasses(gate: PlannedGate): string | null {
  const wanted = checksOf(gate, 'devices').flatMap(({ names }) => (names === null ? [] : [names]));
  const [first, ...others] = wanted;
  if (first === undefined) return anyName;
  return first.find((one) => others.every((names) => names.includes(one))) ?? null;
}

/** Whether the service behind a gate is told which device it is. */
export function tellsWhich({ parts }: PlannedGate): boolean {
  return parts.some(({ checks }) => checks.some((check) => check.kind === 'devices' && check.tell));
}
