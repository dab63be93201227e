import { createHash, createPublicKey, verify, type JsonWebKey } from 'node:crypto';
import * as z from 'zod';

const signedForm = z.object({ protected: z.string(), payload: z.string(), signature: z.string() });
const headerForm = z.object({
  alg: z.literal('ES256'),
  nonce: z.string(),
  url: z.string(),
  kid: z.string().optional(),
  jwk: z.object({ kty: z.string(), crv: z.string(), x: z.string(), y: z.string() }).optional(),
});

export type Jwk = NonNullable<z.infer<typeof headerForm>['jwk']>;

export interface Signed {
  header: z.infer<typeof headerForm>;
  payload: unknown;
  key: Jwk;
}

/**
 * Reads a signed question of ACME (RFC 8555 §6.2, RFC 7515 §7.2.2) and proves its signature. `keyOf` finds the key of an
 * account. Returns null when anything about it is wrong.
 */
export function readSigned(body: string, keyOf: (account: string) => Jwk | null): Signed | null {
  try {
    const { protected: head, payload, signature } = signedForm.parse(JSON.parse(body));
    const header = headerForm.parse(JSON.parse(text(head)));
    const key = header.jwk ?? keyOf(header.kid ?? '');
    if (key === null) return null;
    const shown = createPublicKey({ key: key as JsonWebKey, format: 'jwk' });
    const fits = verify(
      'sha256',
      Buffer.from(`${head}.${payload}`),
      { key: shown, dsaEncoding: 'ieee-p1363' },
      Buffer.from(signature, 'base64url'),
    );
    return fits ? { header, payload: payload === '' ? null : JSON.parse(text(payload)), key } : null;
  } catch {
    return null;
  }
}

/** RFC 7638: the members in alphabetical order, without blanks. */
export function thumbprint({ crv, kty, x, y }: Jwk): string {
  return createHash('sha256').update(JSON.stringify({ crv, kty, x, y })).digest('base64url');
}

function text(part: string): string {
  return Buffer.from(part, 'base64url').toString('utf8');
}
