import { createHash, timingSafeEqual } from 'node:crypto';
import md5 from 'apache-md5';
import bcrypt from 'bcryptjs';
import { verify as verifyShaCrypt } from 'unixcrypt';
import { hashKind, type HashKind } from '../../core/people/hash-kinds.ts';

type Check = (password: string, hash: string) => boolean;

/** The kinds that can be verified here. */
const checks: Partial<Record<HashKind['id'], Check>> = {
  bcrypt: (password, hash) => bcrypt.compareSync(password, hash),
  'sha256-crypt': verifyShaCrypt,
  'sha512-crypt': verifyShaCrypt,
  apr1: (password, hash) => equal(Buffer.from(md5(password, hash)), Buffer.from(hash)),
  sha1: (password, hash) => equal(createHash('sha1').update(password).digest(), Buffer.from(hash.slice(5), 'base64')),
  'salted-sha1': (password, hash) => {
    const bytes = Buffer.from(hash.slice(6), 'base64');
    return equal(createHash('sha1').update(password).update(bytes.subarray(20)).digest(), bytes.subarray(0, 20));
  },
};

/** Whether a password fits a hash. False for kinds that cannot be verified here. Takes as long as the hash costs. */
export function fits(password: string, hash: string): boolean {
  return checks[hashKind(hash).id]?.(password, hash) ?? false;
}

function equal(a: Buffer, b: Buffer): boolean {
  return a.length === b.length && timingSafeEqual(a, b);
}
