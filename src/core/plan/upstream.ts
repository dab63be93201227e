/**
 * Where a road's requests are sent.
 *
 * @property host address, or a name that must be looked up at run time when `byName` is true
 * @property verifyAs for https the name or address that the service's certificate must carry
 * @property trust for https what must vouch for the service: the system's roots, an authority's file (absolute path), the digest of
 *   its public key in base64 (RFC 7469 §2.4), or nothing
 * @property sayHost Host header that the service gets; null for the visitor's own
 * @property service name of the Compose service, or null when the map gives the address itself
 * @property why how the address was found, for people
 * @property others where the same service answers as well, when it runs several times; absent when it does not
 */
export interface Upstream {
  scheme: 'http' | 'https';
  host: string;
  port: number;
  byName: boolean;
  verifyAs: string | null;
  trust: UpstreamTrust;
  sayHost: string | null;
  service: string | null;
  why: string;
  others?: Array<{ host: string; port: number }>;
}

export type UpstreamTrust =
  { kind: 'system' } | { kind: 'ca'; file: string } | { kind: 'pin'; digest: string } | { kind: 'none' };
