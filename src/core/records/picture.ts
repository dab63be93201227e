/** What name servers said, as plain data. Names are lower case without a dot at the end; times are seconds. */

/**
 * One answer about a name's addresses.
 *
 * @property code response code (RFC 6895 §2.3): NOERROR, NXDOMAIN, SERVFAIL …
 * @property aliases names that were passed on the way, the asked one first; empty when there was no alias
 * @property circle the aliases come back to where they were
 * @property unchecked what a server that fails says when it need not look at signatures (RFC 4035 §3.2.2, CD); null when it was not asked so
 * @property ttlSeconds how much longer the addresses may be remembered, or null when there are none
 * @property noForSeconds how long a "no" may be remembered (RFC 2308 §5), or null when it is no "no"
 */
export interface Said {
  code: string;
  aliases: string[];
  circle: boolean;
  addresses: string[];
  ttlSeconds: number | null;
  noForSeconds: number | null;
  unchecked?: string[] | null;
}

/** @property reason why there is no answer, for people */
export type Heard = { ok: true; said: Said } | { ok: false; reason: string };

export interface ServerOfZone {
  name: string;
  address: string;
  port: number;
  /** Serial of its copy of the zone, or null when it did not tell. */
  serial: number | null;
  /** What is wrong with it, or null: it is silent, or does not know that the zone is its own. */
  trouble: { kind: 'silent' | 'lame'; reason: string } | null;
}

/** @property parent the name servers by which the zone above leads here, or null when that could not be asked */
export interface ZoneHeard {
  zone: string;
  servers: ServerOfZone[];
  own: string[];
  parent: string[] | null;
}

/** @property zone null when no zone is found for it @property servers what each sound server of the zone says */
export interface NameHeard {
  name: string;
  zone: string | null;
  servers: Array<{ name: string; address: string; heard: Heard }>;
  resolver: Heard;
}

/** @property strangers what is said of a name under a domain that nobody can have meant */
export interface DnsPicture {
  resolver: string;
  zones: ZoneHeard[];
  names: NameHeard[];
  strangers: Array<{ domain: string; heard: Heard }>;
}
