import { createHmac, timingSafeEqual } from 'node:crypto';
import { encodeName, nameAt } from './wire.ts';

/** A key that signs updates (RFC 8945). @property secret raw octets */
export interface TsigKey {
  name: string;
  algorithm: 'hmac-sha1' | 'hmac-sha224' | 'hmac-sha256' | 'hmac-sha384' | 'hmac-sha512';
  secret: Buffer;
}

const algorithms = ['hmac-sha1', 'hmac-sha224', 'hmac-sha256', 'hmac-sha384', 'hmac-sha512'] as const;

/**
 * Reads a key file as key generators and name servers write it: `key "NAME" { algorithm hmac-sha256; secret "BASE64"; };` (quotes may be left
 * out, comments stand anywhere), a list of YAML with `id`, `algorithm` and `secret`, or one line `[ALGORITHM:]NAME:BASE64`, where an algorithm
 * that is left out is hmac-sha256. Null when it is none of these.
 */
export function parseTsigKey(text: string): TsigKey | null {
  const plain = text.replace(/(^|\s)#.*$/gm, '$1');
  // A secret may begin with two slashes; only in the form with braces are they a comment.
  const block = plain.replace(/\/\*[\s\S]*?\*\//g, ' ').replace(/(^|\s)\/\/.*$/gm, '$1');
  return asBlock(block) ?? asYaml(plain) ?? asLine(plain);
}

const word = `"?([^"\\s{};]+)"?`;

function asBlock(text: string): TsigKey | null {
  const body = new RegExp(`\\bkey\\s+${word}\\s*\\{([^}]*)\\}`).exec(text);
  const of = (field: string): string | undefined =>
    new RegExp(`\\b${field}\\s+${word}\\s*;`, 'i').exec(body?.[2] ?? '')?.[1];
  return keyOf(body?.[1], of('algorithm'), of('secret'));
}

function asYaml(text: string): TsigKey | null {
  const of = (field: string): string | undefined =>
    new RegExp(`^[\\s-]*${field}:\\s*["']?([^"'\\s#]+)`, 'm').exec(text)?.[1];
  return keyOf(of('id'), of('algorithm'), of('secret'));
}

function asLine(text: string): TsigKey | null {
  const [, algorithm = 'hmac-sha256', name, secret] =
    /^\s*(?:(hmac-[\w-]+):)?([^:\s]+):([A-Za-z0-9+/=]+)\s*$/m.exec(text) ?? [];
  return keyOf(name, algorithm, secret);
}

/** Names of algorithms as a record has them, with a dot at the end, too (RFC 8945 §6). */
function keyOf(name?: string, written?: string, secret?: string): TsigKey | null {
  const algorithm = algorithms.find((one) => one === written?.toLowerCase().replace(/\.$/, ''));
  if (name === undefined || algorithm === undefined || !/^[A-Za-z0-9+/]+={0,2}$/.test(secret ?? '')) return null;
  return { name: name.toLowerCase().replace(/\.$/, ''), algorithm, secret: Buffer.from(secret ?? '', 'base64') };
}

const typeTsig = 250;
const classAny = 255;
const fudgeSeconds = 300;

export interface Signed {
  message: Buffer;
  mac: Buffer;
}

/** Puts the TSIG record behind a message (RFC 8945 §4.3.3: digest over the message and the record's own fields). */
export function signMessage(message: Buffer, key: TsigKey, nowSeconds: number): Signed {
  const time = timeOf(nowSeconds);
  const mac = createHmac(hashOf(key), key.secret)
    .update(Buffer.concat([message, variablesOf(key, time, 0, Buffer.alloc(0))]))
    .digest();
  const id = message.subarray(0, 2);
  const rdata = Buffer.concat([
    encodeName(key.algorithm),
    time,
    u16(fudgeSeconds),
    u16(mac.length),
    mac,
    id,
    u16(0),
    u16(0),
  ]);
  const record = Buffer.concat([encodeName(key.name), u16(typeTsig), u16(classAny), u32(0), u16(rdata.length), rdata]);
  const signed = Buffer.concat([message, record]);
  signed.writeUInt16BE(signed.readUInt16BE(10) + 1, 10);
  return { message: signed, mac };
}

/** The TSIG error of a reply, or null when it is signed as it must be (RFC 8945 §5.3). Total: whatever came over the wire, it says what is wrong. */
export function replyProblem(reply: Buffer, key: TsigKey, requestMac: Buffer): string | null {
  let signature: Signature | null;
  try {
    signature = signatureOf(reply);
  } catch {
    // It names lengths that are not there.
    return 'the reply is cut off';
  }
  if (signature === null) return 'the reply is not signed';
  const { at, owner, algorithm, time, fudge, mac, error, other } = signature;
  if (owner !== key.name || algorithm !== key.algorithm) return 'the reply is signed with another key';
  if (error !== 0) return errors[error] ?? `TSIG error ${String(error)}`;
  const message = Buffer.from(reply.subarray(0, at));
  message.writeUInt16BE(message.readUInt16BE(10) - 1, 10);
  const variables = variablesOf(key, time, error, other, fudge);
  const expected = createHmac(hashOf(key), key.secret)
    .update(Buffer.concat([u16(requestMac.length), requestMac, message, variables]))
    .digest();
  return mac.length === expected.length && timingSafeEqual(mac, expected)
    ? null
    : 'the signature of the reply is wrong';
}

const errors: Record<number, string> = {
  16: 'the signature is wrong (BADSIG)',
  17: 'the key is unknown there (BADKEY)',
  18: 'its clock differs (BADTIME)',
};

/** RFC 8945 §4.2. @property at where the record begins */
interface Signature {
  at: number;
  owner: string;
  algorithm: string;
  time: Buffer;
  fudge: Buffer;
  mac: Buffer;
  error: number;
  other: Buffer;
}

/**
 * The TSIG record of a message, which is its last one (RFC 8945 §5.1); null when there is none.
 *
 * @throws RangeError for a message that ends before what it announces
 */
function signatureOf(reply: Buffer): Signature | null {
  const records = [6, 8, 10].map((field) => reply.readUInt16BE(field));
  const all = records.reduce((sum, count) => sum + count, 0);
  if (all === 0) return null;
  let position = 12;
  for (let left = reply.readUInt16BE(4); left > 0; left -= 1) position = nameAt(reply, position).end + 4;
  for (let left = all; left > 1; left -= 1) {
    const { end } = nameAt(reply, position);
    position = end + 10 + reply.readUInt16BE(end + 8);
  }
  const { name: owner, end } = nameAt(reply, position);
  if (reply.readUInt16BE(end) !== typeTsig || records[2] === 0) return null;
  const method = nameAt(reply, end + 10);
  const from = method.end;
  const size = reply.readUInt16BE(from + 8);
  const behind = from + 10 + size;
  return {
    at: position,
    owner,
    algorithm: method.name,
    time: part(reply, from, 6),
    fudge: part(reply, from + 6, 2),
    mac: part(reply, from + 10, size),
    error: reply.readUInt16BE(behind + 2),
    other: part(reply, behind + 6, reply.readUInt16BE(behind + 4)),
  };
}

function part(bytes: Buffer, from: number, length: number): Buffer {
  if (from + length > bytes.length) throw new RangeError('it ends too early');
  return bytes.subarray(from, from + length);
}

function variablesOf(key: TsigKey, time: Buffer, error: number, other: Buffer, fudge = u16(fudgeSeconds)): Buffer {
  const names = [encodeName(key.name), u16(classAny), u32(0), encodeName(key.algorithm)];
  return Buffer.concat([...names, time, fudge, u16(error), u16(other.length), other]);
}

function hashOf({ algorithm }: TsigKey): string {
  return algorithm.replace('hmac-', '');
}

/** 48 bits of seconds. */
function timeOf(seconds: number): Buffer {
  const bytes = Buffer.alloc(6);
  bytes.writeUIntBE(Math.floor(seconds), 0, 6);
  return bytes;
}

function u16(value: number): Buffer {
  const bytes = Buffer.alloc(2);
  bytes.writeUInt16BE(value);
  return bytes;
}

function u32(value: number): Buffer {
  const bytes = Buffer.alloc(4);
  bytes.writeUInt32BE(value);
  return bytes;
}
