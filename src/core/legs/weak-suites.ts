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

/** A weak suite that a server takes from a client that knows nothing better. */
export interface WeakSuite {
  name: string;
  hasSecrecy: boolean;
}
