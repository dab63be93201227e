import { token, type Token } from '../outside/words.ts';

/** Where the authority looks for a token (RFC 8555 §8.3). */
export const challengePrefix = '/.well-known/acme-challenge/';

/** The token of a request target, or null. Tokens are base64url; nothing that could climb out of a folder is one. */
export function tokenIn(target: string): Token | null {
  if (!target.startsWith(challengePrefix)) return null;
  return token(target.slice(challengePrefix.length));
}
