/** Where the authority looks for a token (RFC 8555 §8.3). */
export const challengePrefix = '/.well-known/acme-challenge/';

/** The token of a request target, or null. Tokens are base64url; nothing that could climb out of a folder is one. */
export function tokenIn(target: string): string | null {
  if (!target.startsWith(challengePrefix)) return null;
  const token = target.slice(challengePrefix.length);
  return /^[A-Za-z0-9_-]{1,200}$/.test(token) ? token : null;
}
