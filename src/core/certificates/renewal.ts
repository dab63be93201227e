import type { CertificateFacts } from './cover.ts';

/** A time in which the authority would like to see a certificate renewed (RFC 9773 §4.1). Milliseconds since the epoch. */
export interface SuggestedWindow {
  start: number;
  end: number;
}

type Life = Pick<CertificateFacts, 'notBefore' | 'notAfter' | 'fingerprint'>;

/**
 * When a certificate is to be renewed, in milliseconds since the epoch: within the authority's window where it offers one,
 * else when a third of its life is left, which also suits a life of six days. A share that is fixed for each certificate
 * moves it within the window, or earlier by up to a twentieth of the life, so that not everybody asks at once.
 */
export function renewAt(life: Life, suggested: SuggestedWindow | null = null): number {
  const share = shareOf(life.fingerprint);
  if (suggested !== null && suggested.end > suggested.start) {
    return suggested.start + share * (suggested.end - suggested.start);
  }
  const whole = life.notAfter - life.notBefore;
  return life.notAfter - whole / 3 - (share * whole) / 20;
}

/** From 0 to 1, the same at every look: the first digits of the fingerprint. */
function shareOf(fingerprint: string): number {
  const digits = fingerprint.replace(/[^0-9a-f]/gi, '').slice(0, 8);
  return digits === '' ? 0 : parseInt(digits, 16) / 16 ** digits.length;
}

/** Whole days that are left, rounded down; negative when it has ended. */
export function daysLeft({ notAfter }: Pick<Life, 'notAfter'>, now: number): number {
  return Math.floor((notAfter - now) / 86_400_000);
}

/** How much of the life is left, from 0 to 1. */
export function shareLeft({ notBefore, notAfter }: Omit<Life, 'fingerprint'>, now: number): number {
  return Math.min(1, Math.max(0, (notAfter - now) / (notAfter - notBefore)));
}

/**
 * What a certificate is called when its authority is asked when to renew it (RFC 9773 §4.1).
 *
 * @param issuerKey key identifier of the authority key identifier extension
 * @param serial serial number in hexadecimal digits
 */
export function certificateId(issuerKey: Uint8Array, serial: string): string {
  const even = serial.length % 2 === 0 ? serial : `0${serial}`;
  // DER puts a zero octet before a number whose first bit is set.
  const der = parseInt(even.slice(0, 2), 16) >= 0x80 ? `00${even}` : even;
  return `${base64url(issuerKey)}.${base64url((der.match(/../g) ?? []).map((pair) => parseInt(pair, 16)))}`;
}

function base64url(bytes: Iterable<number>): string {
  const text = btoa(String.fromCharCode(...bytes));
  return text.replace(/\+/g, '-').replace(/\//g, '_').replace(/=+$/, '');
}
