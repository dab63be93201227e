/** What every proxy keeps, as far as it can. */

/** Suites of TLS 1.2 with forward secrecy and authenticated encryption (RFC 9325 §4.2), by OpenSSL's names. TLS 1.3 has no others. */
export const modernSuites = [
  'ECDHE-ECDSA-AES128-GCM-SHA256',
  'ECDHE-RSA-AES128-GCM-SHA256',
  'ECDHE-ECDSA-AES256-GCM-SHA384',
  'ECDHE-RSA-AES256-GCM-SHA384',
  'ECDHE-ECDSA-CHACHA20-POLY1305',
  'ECDHE-RSA-CHACHA20-POLY1305',
] as const;

/** How long the head of a request may take to arrive, in seconds. */
export const slowHeadSeconds = 30;

/** How long a request's body may stand still, in seconds. */
export const slowBodySeconds = 60;

/** Longest head of a request, in bytes. */
export const longestHeadBytes = 32 * 1024;

/** Longest head of a service's answer that is passed on, in bytes: some set many cookies and long policies. */
export const longestAnswerHeadBytes = 32 * 1024;

/** How long an idle connection to a service is kept unless the service says less, in seconds: many servers close theirs after five. */
export const keptSeconds = 4;

/** The same for requests that must not be sent twice, of which none may meet a connection that is just being closed. */
export const briefSeconds = 1;

/** So many header lines has a request at most. */
export const mostHeaderLines = 1000;

/** How long a connection on which nothing is asked is kept, in seconds. */
export const idleSeconds = 75;

/** Longest line of a head, name and value of a header or the request line, in bytes. */
export const longestLineBytes = 8 * 1024;

/** How many connections one client may have at one time; more of them close its own longest idle ones. */
export const mostOfOneClient = 256;

/** How many of these may have said nothing yet. Browsers open a few ahead of what they will ask. */
export const mostSilentOfOneClient = 64;

/** Longest name and password, in bytes with the colon between. RFC 7617 sets no limit; hashing takes longer the longer they are. */
export const longestCredentialsBytes = 512;

/** The same in letters of base64, without what fills it up. */
export const longestCredentials = Math.ceil((longestCredentialsBytes * 4) / 3);
