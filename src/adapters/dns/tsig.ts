import { createHmac, timingSafeEqual } from 'node:crypto';
import { encodeName } from './wire.ts';

/** A key that signs updates (RFC 8945). @property secret raw octets */
export interface TsigKey {
  name: string;
  algorithm: 'hmac-sha1' | 'hmac-sha224' | 'hmac-sha256' | 'hmac-sha384' | 'hmac-sha512';
  secret: Buffer;
}

const algorithms = ['hmac-sha1', 'hmac-sha224', 'hmac-sha256', 'hmac-sha384', 'hmac-sha512'] as const;

/**
 * Reads a key file: `key "NAME" { algorithm hmac-sha256; secret "BASE64"; };` as several name servers write it, or one line
 * `ALGORITHM:NAME:BASE64`. Null when it is neither.
 */
export function parseTsigKey(text: string): TsigKey | null {
  const line = /^\s*(hmac-sha\d+):([^:\s]+):([A-Za-z0-9+/=]+)\s*$/m.exec(text);
  const name = line?.[2] ?? /\bkey\s+"?([^"\s{]+)"?\s*\{/.exec(text)?.[1];
  const written = line?.[1] ?? /\balgorithm\s+"?(hmac-sha\d+)"?\s*;/i.exec(text)?.[1];
  const secret = line?.[3] ?? /\bsecret\s+"([A-Za-z0-9+/=]+)"\s*;/.exec(text)?.[1];
  const algorithm = algorithms.find((one) => one === written?.toLowerCase());
  if (name === undefined || algorithm === undefined || secret === undefined) return null;
  return { name: name.toLowerCase().replace(/\.$/, ''), algorithm, secret: Buffer.from(secret, 'base64') };
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

/**
 * The TSIG error of a reply, or null when it is signed as it must be (RFC 8945 §5.3). The record is the last one; its owner
 * name is ours, so its beginning is found from the end.
 */
export function replyProblem(reply: Buffer, key: TsigKey, requestMac: Buffer): string | null {
  const owner = encodeName(key.name);
  const head = Buffer.concat([owner, u16(typeTsig), u16(classAny)]);
  const at = reply.lastIndexOf(head);
  if (at === -1) return 'the reply is not signed';
  const algorithm = encodeName(key.algorithm);
  let position = at + head.length + 4 + 2 + algorithm.length;
  const time = reply.subarray(position, position + 6);
  const fudge = reply.subarray(position + 6, position + 8);
  const size = reply.readUInt16BE(position + 8);
  const mac = reply.subarray(position + 10, position + 10 + size);
  position += 10 + size + 2;
  const error = reply.readUInt16BE(position);
  const other = reply.subarray(position + 4, position + 4 + reply.readUInt16BE(position + 2));
  if (error !== 0)
    return (
      {
        16: 'the signature is wrong (BADSIG)',
        17: 'the key is unknown there (BADKEY)',
        18: 'the clocks differ (BADTIME)',
      }[error] ?? `TSIG error ${String(error)}`
    );
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
