import ipaddr from 'ipaddr.js';

/** What of the wire format (RFC 1035 §4.1) DNS UPDATE needs, which the packet library does not write. */

/** A name without compression, lower case, as TSIG wants it too. */
export function encodeName(name: string): Buffer {
  const labels = name
    .toLowerCase()
    .replace(/\.$/, '')
    .split('.')
    .filter((label) => label !== '');
  const parts = labels.map((label) => Buffer.concat([Buffer.from([label.length]), Buffer.from(label, 'latin1')]));
  return Buffer.concat([...parts, Buffer.from([0])]);
}

/**
 * Reads a name (RFC 1035 §3.1, §4.1.4 for pointers), lower case. `end` is where what follows it begins.
 *
 * @throws RangeError when it does not end within the message, or goes round in a circle
 */
export function nameAt(message: Buffer, start: number): { name: string; end: number } {
  const labels: string[] = [];
  let end: number | null = null;
  let position = start;
  for (let steps = 0; steps < 128; steps += 1) {
    const length = message.readUInt8(position);
    if ((length & 0xc0) === 0xc0) {
      end ??= position + 2;
      position = message.readUInt16BE(position) & 0x3fff;
    } else if (length === 0) return { name: labels.join('.').toLowerCase(), end: end ?? position + 1 };
    else {
      if (position + 1 + length > message.length) throw new RangeError('it ends too early');
      labels.push(message.toString('latin1', position + 1, position + 1 + length));
      position += 1 + length;
    }
  }
  throw new RangeError('its names form a loop');
}

export const classes = { in: 1, none: 254, any: 255 } as const;
export const types = { a: 1, cname: 5, soa: 6, txt: 16, aaaa: 28, any: 255, caa: 257 } as const;

export interface WireRecord {
  name: string;
  type: number;
  class: number;
  ttl: number;
  rdata: Buffer;
}

function encodeRecord({ name, type, class: kind, ttl, rdata }: WireRecord): Buffer {
  const fixed = Buffer.alloc(10);
  fixed.writeUInt16BE(type, 0);
  fixed.writeUInt16BE(kind, 2);
  fixed.writeUInt32BE(ttl, 4);
  fixed.writeUInt16BE(rdata.length, 8);
  return Buffer.concat([encodeName(name), fixed, rdata]);
}

/** Strings of at most 255 octets each (RFC 1035 §3.3.14). */
export function txtData(value: string): Buffer {
  const bytes = Buffer.from(value, 'latin1');
  const parts: Buffer[] = [];
  for (let at = 0; at < Math.max(1, bytes.length); at += 255) {
    const part = bytes.subarray(at, at + 255);
    parts.push(Buffer.from([part.length]), part);
  }
  return Buffer.concat(parts);
}

const opcodeUpdate = 5 << 11;

interface UpdateMessage {
  id: number;
  zone: string;
  /** What must hold for any of it to happen (RFC 2136 §2.4). */
  prerequisites?: readonly WireRecord[];
  changes: readonly WireRecord[];
}

/** An UPDATE message (RFC 2136 §2): the zone, the prerequisites, the changes. */
export function updateMessage({ id, zone, prerequisites = [], changes }: UpdateMessage): Buffer {
  const header = Buffer.alloc(12);
  header.writeUInt16BE(id, 0);
  header.writeUInt16BE(opcodeUpdate, 2);
  header.writeUInt16BE(1, 4);
  header.writeUInt16BE(prerequisites.length, 6);
  header.writeUInt16BE(changes.length, 8);
  const question = Buffer.alloc(4);
  question.writeUInt16BE(types.soa, 0);
  question.writeUInt16BE(classes.in, 2);
  return Buffer.concat([
    header,
    encodeName(zone),
    question,
    ...prerequisites.map(encodeRecord),
    ...changes.map(encodeRecord),
  ]);
}

/** The octets of a record's data, from the form of a zone file. */
export function recordData({ type, data }: { type: 'A' | 'AAAA' | 'CNAME' | 'CAA'; data: string }): Buffer {
  switch (type) {
    case 'A':
    case 'AAAA':
      return Buffer.from(ipaddr.parse(data).toByteArray());
    case 'CNAME':
      return encodeName(data);
    case 'CAA': {
      const [, flags = '0', tag = '', value = ''] = /^(\d+) (\w+) "(.*)"$/.exec(data) ?? [];
      return Buffer.concat([Buffer.from([Number(flags), tag.length]), Buffer.from(tag + value, 'latin1')]);
    }
  }
}
