import { createHash, timingSafeEqual } from 'node:crypto';
import md5 from 'apache-md5';
import bcrypt from 'bcryptjs';
import { verify as verifyShaCrypt } from 'unixcrypt';
import { hashKind } from '../../core/people/hash-kinds.ts';

/** Whether a password fits a hash. False for kinds that cannot be verified here. Takes as long as the hash costs. */
export function fits(password: string, hash: string): boolean {
  switch (hashKind(hash).id) {
    case 'bcrypt':
      return bcrypt.compareSync(password, hash);
    case 'sha256-crypt':
    case 'sha512-crypt':
      return verifyShaCrypt(password, hash);
    case 'apr1':
      return equal(Buffer.from(md5(password, hash)), Buffer.from(hash));
    case 'sha1':
      return equal(createHash('sha1').update(password).digest(), Buffer.from(hash.slice(5), 'base64'));
    case 'salted-sha1': {
      const bytes = Buffer.from(hash.slice(6), 'base64');
      return equal(createHash('sha1').update(password).update(bytes.subarray(20)).digest(), bytes.subarray(0, 20));
    }
    default:
      return false;
  }
}

function equal(a: Buffer, b: Buffer): boolean {
  return a.length === b.length && timingSafeEqual(a, b);
}
