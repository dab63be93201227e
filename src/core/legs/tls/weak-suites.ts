/**
 * Cipher suites by which nothing is encrypted, or nobody proves who they are (RFC 5246 §A.5, RFC 4492 §6, RFC 9325 §4.1): whoever is on the way reads or
 * changes what they like.
 */
export const suitesWithoutProtection: ReadonlyMap<number, string> = new Map([
  [0x0001, 'TLS_RSA_WITH_NULL_MD5'],
  [0x0002, 'TLS_RSA_WITH_NULL_SHA'],
  [0x003b, 'TLS_RSA_WITH_NULL_SHA256'],
  [0xc006, 'TLS_ECDHE_ECDSA_WITH_NULL_SHA'],
  [0xc010, 'TLS_ECDHE_RSA_WITH_NULL_SHA'],
  [0x0018, 'TLS_DH_anon_WITH_RC4_128_MD5'],
  [0x001b, 'TLS_DH_anon_WITH_3DES_EDE_CBC_SHA'],
  [0x0034, 'TLS_DH_anon_WITH_AES_128_CBC_SHA'],
  [0x003a, 'TLS_DH_anon_WITH_AES_256_CBC_SHA'],
  [0x006c, 'TLS_DH_anon_WITH_AES_128_CBC_SHA256'],
  [0x006d, 'TLS_DH_anon_WITH_AES_256_CBC_SHA256'],
  [0x00a6, 'TLS_DH_anon_WITH_AES_128_GCM_SHA256'],
  [0x00a7, 'TLS_DH_anon_WITH_AES_256_GCM_SHA384'],
  [0xc015, 'TLS_ECDH_anon_WITH_NULL_SHA'],
  [0xc016, 'TLS_ECDH_anon_WITH_RC4_128_SHA'],
  [0xc017, 'TLS_ECDH_anon_WITH_3DES_EDE_CBC_SHA'],
  [0xc018, 'TLS_ECDH_anon_WITH_AES_128_CBC_SHA'],
  [0xc019, 'TLS_ECDH_anon_WITH_AES_256_CBC_SHA'],
]);

/**
 * Cipher suites of TLS 1.2 that no server should take any more, by their numbers in the registry of IANA ("TLS Cipher Suites").
 * RFC 9325 §4.1 and §4.2: no forward secrecy, less than 128 bits, or encryption that is not authenticated.
 */
export const suitesWithoutSecrecy: ReadonlyMap<number, string> = new Map([
  [0x000a, 'TLS_RSA_WITH_3DES_EDE_CBC_SHA'],
  [0x0016, 'TLS_DHE_RSA_WITH_3DES_EDE_CBC_SHA'],
  [0xc008, 'TLS_ECDHE_ECDSA_WITH_3DES_EDE_CBC_SHA'],
  [0xc012, 'TLS_ECDHE_RSA_WITH_3DES_EDE_CBC_SHA'],
  [0x0005, 'TLS_RSA_WITH_RC4_128_SHA'],
  [0xc011, 'TLS_ECDHE_RSA_WITH_RC4_128_SHA'],
  [0x002f, 'TLS_RSA_WITH_AES_128_CBC_SHA'],
  [0x0035, 'TLS_RSA_WITH_AES_256_CBC_SHA'],
  [0x003c, 'TLS_RSA_WITH_AES_128_CBC_SHA256'],
  [0x003d, 'TLS_RSA_WITH_AES_256_CBC_SHA256'],
  [0x009c, 'TLS_RSA_WITH_AES_128_GCM_SHA256'],
  [0x009d, 'TLS_RSA_WITH_AES_256_GCM_SHA384'],
]);

/** The same with forward secrecy, which have no other weakness than CBC. */
export const suitesWithCbc: ReadonlyMap<number, string> = new Map([
  [0xc009, 'TLS_ECDHE_ECDSA_WITH_AES_128_CBC_SHA'],
  [0xc00a, 'TLS_ECDHE_ECDSA_WITH_AES_256_CBC_SHA'],
  [0xc013, 'TLS_ECDHE_RSA_WITH_AES_128_CBC_SHA'],
  [0xc014, 'TLS_ECDHE_RSA_WITH_AES_256_CBC_SHA'],
  [0xc023, 'TLS_ECDHE_ECDSA_WITH_AES_128_CBC_SHA256'],
  [0xc024, 'TLS_ECDHE_ECDSA_WITH_AES_256_CBC_SHA384'],
  [0xc027, 'TLS_ECDHE_RSA_WITH_AES_128_CBC_SHA256'],
  [0xc028, 'TLS_ECDHE_RSA_WITH_AES_256_CBC_SHA384'],
  [0x0033, 'TLS_DHE_RSA_WITH_AES_128_CBC_SHA'],
  [0x0039, 'TLS_DHE_RSA_WITH_AES_256_CBC_SHA'],
]);

/**
 * A weak suite that a server takes from a client that knows nothing better.
 *
 * @property isBare nothing is encrypted, or nobody proves who they are @property hasSecrecy what is recorded today cannot be read with the key of tomorrow
 */
export interface WeakSuite {
  name: string;
  hasSecrecy: boolean;
  isBare?: boolean;
}

/** Whether a server takes a weak suite; `unheard` where it said nothing to that, which proves nothing. */
export type TakenSuite = WeakSuite | 'unheard' | null;
