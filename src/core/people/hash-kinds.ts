/** A kind of password hash. `cost`: bcrypt's exponent, or rounds of SHA-crypt; null where the kind has none. */
export interface HashKind {
  id:
    | 'bcrypt'
    | 'sha256-crypt'
    | 'sha512-crypt'
    | 'yescrypt'
    | 'apr1'
    | 'md5-crypt'
    | 'sha1'
    | 'salted-sha1'
    | 'des'
    | 'clear'
    | 'unknown';
  cost: number | null;
}

/** What kind of hash stands in a password file, by its own form (crypt(5); htpasswd(1); RFC 2307 §5.3 for the braces). */
export function hashKind(hash: string): HashKind {
  const bcrypt = /^\$2[aby]\$(\d\d)\$[./A-Za-z0-9]{53}$/.exec(hash);
  if (bcrypt !== null) return { id: 'bcrypt', cost: Number(bcrypt[1]) };
  const sha = /^\$([56])\$(?:rounds=(\d+)\$)?[^$]{0,16}\$[./A-Za-z0-9]+$/.exec(hash);
  if (sha !== null) return { id: sha[1] === '5' ? 'sha256-crypt' : 'sha512-crypt', cost: Number(sha[2] ?? 5000) };
  if (/^\$y\$[./A-Za-z0-9]+\$[./A-Za-z0-9]*\$[./A-Za-z0-9]{43}$/.test(hash)) return { id: 'yescrypt', cost: null };
  if (/^\$apr1\$[^$]{1,8}\$[./A-Za-z0-9]{22}$/.test(hash)) return { id: 'apr1', cost: null };
  if (/^\$1\$[^$]{1,8}\$[./A-Za-z0-9]{22}$/.test(hash)) return { id: 'md5-crypt', cost: null };
  if (/^\{SHA\}[A-Za-z0-9+/]{27}=$/.test(hash)) return { id: 'sha1', cost: null };
  if (/^\{SSHA\}[A-Za-z0-9+/]+=*$/.test(hash)) return { id: 'salted-sha1', cost: null };
  if (/^\{PLAIN\}/.test(hash)) return { id: 'clear', cost: null };
  if (/^[./A-Za-z0-9]{13}$/.test(hash)) return { id: 'des', cost: null };
  // A dollar sign that a Compose file or a shell swallowed, or doubled, leaves something that looks almost right.
  return { id: 'unknown', cost: null };
}

/** Kinds that a stolen file gives up in minutes: no salt, no work, or eight characters at most. */
export function isWeakKind({ id }: HashKind): boolean {
  return ['sha1', 'salted-sha1', 'des', 'clear', 'md5-crypt', 'apr1'].includes(id);
}

/**
 * About how long one check takes, in milliseconds, as it was once measured with the servers of Debian 12; another machine may take half or
 * twice of it. Servers do it anew for each request.
 */
export function checkMs({ id, cost }: HashKind): number {
  if (id === 'bcrypt') return 2.4 * 2 ** ((cost ?? 5) - 5);
  if (id === 'sha256-crypt' || id === 'sha512-crypt') return (0.8 * (cost ?? 5000)) / 1000;
  return id === 'yescrypt' ? 29 : 1;
}

/** From here on eight people who log in make everybody else wait for about a second. */
export const slowMs = 60;

/** What `$` must be in a Compose file, where a single one begins a variable (Compose Specification, "Interpolation"). */
export function forCompose(hash: string): string {
  return hash.replace(/\$/g, '$$$$');
}
