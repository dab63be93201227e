/**
 * How long an answer asks to wait, in milliseconds (RFC 9110 §10.2.3: seconds, or a date), or null when it does not say. Never
 * longer than a week: nobody means more.
 */
export function retryAfter(header: string | null, now: Date): number | null {
  if (header === null) return null;
  const text = header.trim();
  const ms = /^\d{1,9}$/.test(text) ? Number(text) * 1000 : Date.parse(text) - now.getTime();
  return Number.isNaN(ms) ? null : Math.min(Math.max(ms, 0), weekMs);
}

const weekMs = 7 * 24 * 3_600_000;
