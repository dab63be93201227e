import * as z from 'zod';

/**
 * One certificate that a device was given.
 *
 * @property serial hexadecimal @property made, ends, removed ISO 8601; `removed` null while it counts
 */
interface DeviceCertificate {
  name: string;
  serial: string;
  made: string;
  ends: string;
  removed: string | null;
}

/**
 * @property spare serial number that no device ever gets: it stands in the list of removed ones, so that `verify` can play one
 * @property list digest of the list of removed ones as it was written last, and when it ends (ISO 8601)
 */
export interface DeviceLedger {
  spare: string;
  list: { digest: string; ends: string };
  certificates: DeviceCertificate[];
}

const form = z.object({
  format: z.literal('mile-marker-devices'),
  version: z.literal(1),
  spare: z.string(),
  list: z.object({ digest: z.string(), ends: z.string() }),
  certificates: z.array(
    z.object({
      name: z.string(),
      serial: z.string(),
      made: z.string(),
      ends: z.string(),
      removed: z.string().nullable(),
    }),
  ),
});

/** Null when the text is no ledger. */
export function readLedger(text: string): DeviceLedger | null {
  try {
    const { spare, list, certificates } = form.parse(JSON.parse(text));
    return { spare, list, certificates };
  } catch {
    return null;
  }
}

export function ledgerText({ spare, list, certificates }: DeviceLedger): string {
  return `${JSON.stringify({ format: 'mile-marker-devices', version: 1, spare, list, certificates }, null, 2)}\n`;
}

/** A device as people know it, by its newest certificate. @property others earlier certificates that still count */
export interface Device {
  name: string;
  made: string;
  ends: string;
  removed: string | null;
  others: number;
}

/** Every device, those that count first, each in the order of their names. */
export function devicesIn({ certificates }: DeviceLedger): Device[] {
  const byName = new Map<string, DeviceCertificate[]>();
  for (const one of certificates) byName.set(one.name, [...(byName.get(one.name) ?? []), one]);
  const found = [...byName].map(([name, own]): Device => {
    const counting = own.filter(({ removed }) => removed === null);
    const newest = (counting.length > 0 ? counting : own).reduce((one, other) => (other.made > one.made ? other : one));
    return {
      name,
      made: newest.made,
      ends: newest.ends,
      removed: newest.removed,
      others: Math.max(0, counting.length - 1),
    };
  });
  return found.sort((a, b) => Number(a.removed !== null) - Number(b.removed !== null) || (a.name < b.name ? -1 : 1));
}

/** Names of the devices that count now. */
export function knownDevices(ledger: DeviceLedger, now: Date): string[] {
  return devicesIn(ledger).flatMap(({ name, removed, ends }) =>
    removed === null && new Date(ends) > now ? [name] : [],
  );
}

/** Serial numbers that the list of removed devices must have. */
export function removedSerials({ spare, certificates }: DeviceLedger): string[] {
  return [spare, ...certificates.flatMap(({ serial, removed }) => (removed === null ? [] : [serial]))];
}

/** The one of them that was removed last: a front that has not read the newest list still lets it pass. */
export function removedLast({ spare, certificates }: DeviceLedger): string {
  const removed = certificates.flatMap(({ serial, removed: at }) => (at === null ? [] : [{ serial, at }]));
  return removed.reduce((last, one) => (one.at > last.at ? one : last), { serial: spare, at: '' }).serial;
}

/** Takes every certificate of a device out. */
export function withoutDevice(ledger: DeviceLedger, name: string, at: Date): DeviceLedger {
  const removed = at.toISOString();
  return {
    ...ledger,
    certificates: ledger.certificates.map((one) =>
      one.name === name && one.removed === null ? { ...one, removed } : one,
    ),
  };
}
