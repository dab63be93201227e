import type { Row } from './row.ts';

/** The way to the front: names, ports and TLS. */
export const wayRows: Row[] = [
  { name: 'the name has no record', rule: 'dns-missing', records: 'nothing' },
  {
    name: 'the wildcard has no record',
    rule: 'dns-missing',
    says: '*.saltmarsh.example',
    others: 'redirect: https://nestcam.saltmarsh.example',
    own: 'builtin',
    ofOthers: 'nothing',
  },
  { name: 'the record leads to an old address', rule: 'dns-elsewhere', records: ['127.0.0.9'] },
  {
    name: 'one of two records leads elsewhere',
    rule: 'dns-elsewhere',
    says: 'beside your front',
    records: ['127.0.0.1', '127.0.0.9'],
  },
  {
    name: 'the AAAA record was forgotten',
    rule: 'dns-incomplete',
    severity: 'warning',
    addresses: ['127.0.0.1', '::1'],
    records: ['127.0.0.1'],
  },
  { name: 'the name server refuses the question', rule: 'dns-no-answer', severity: 'warning', records: 'refuses' },
  { name: 'the name server fails', rule: 'dns-no-answer', severity: 'warning', records: 'fails' },
  { name: 'the name server says nothing', rule: 'dns-no-answer', severity: 'warning', records: 'silent' },

  { name: 'nothing listens for HTTPS', rule: 'port-closed', node: { rawHttps: 'nobody' } },
  { name: 'nothing listens for plain HTTP', rule: 'port-closed', node: { rawHttp: 'nobody' } },
  {
    name: 'HTTPS takes connections and closes them',
    rule: 'port-not-served',
    says: 'closes',
    node: { rawHttps: 'closes' },
  },
  { name: 'plain HTTP takes connections and closes them', rule: 'port-not-served', node: { rawHttp: 'closes' } },
  {
    name: 'HTTPS takes connections and says nothing',
    rule: 'port-not-served',
    says: 'says nothing',
    node: { rawHttps: 'silent' },
  },
  { name: 'plain HTTP takes connections and says nothing', rule: 'port-not-served', node: { rawHttp: 'silent' } },
  {
    name: 'the HTTPS port leads to plain HTTP',
    rule: 'port-not-served',
    says: 'speaks plain HTTP',
    node: { rawHttps: 'plain' },
  },
  { name: 'the plain port leads to HTTPS', rule: 'port-not-served', says: 'speaks HTTPS', node: { rawHttp: 'tls' } },
  { name: 'the HTTPS port leads to SSH', rule: 'port-not-served', says: 'neither', node: { rawHttps: 'banner' } },
  { name: 'the plain port leads to SSH', rule: 'port-not-served', says: 'neither', node: { rawHttp: 'banner' } },
  {
    name: 'closed over IPv6 alone',
    rule: 'port-closed',
    says: '[::1]',
    addresses: ['127.0.0.1', '::1'],
    second: { rawHttps: 'nobody' },
  },

  { name: 'the handshake is ended for the name', rule: 'handshake-refused', node: { certificate: 'none' } },
  {
    name: 'the handshake stalls',
    rule: 'handshake-refused',
    says: 'does not come to the end',
    node: { rawHttps: 'stalls' },
  },
  {
    name: 'TLS 1.1 at most',
    rule: 'handshake-refused',
    says: 'nothing newer than TLS 1.1',
    node: { tls: { min: 'TLSv1', max: 'TLSv1.1', ciphers: 'DEFAULT@SECLEVEL=0' } },
  },
  {
    name: 'TLS 1.0 is still taken',
    rule: 'tls-too-old',
    node: { tls: { min: 'TLSv1', ciphers: 'DEFAULT@SECLEVEL=0' } },
  },
  {
    name: 'no forward secrecy',
    rule: 'tls-weak-suite',
    severity: 'warning',
    node: { tls: { max: 'TLSv1.2', ciphers: 'AES128-SHA256' }, certificate: { key: 'rsa-2048' } },
  },
  {
    name: 'HTTP/2 is chosen and not spoken',
    rule: 'chosen-http2-not-spoken',
    node: { tls: { alpn: ['h2', 'http/1.1'] } },
  },
  {
    name: 'the certificate ended',
    rule: 'certificate-dates',
    says: 'ended on',
    node: { certificate: { to: '2026-01-31' } },
  },
  {
    name: 'the certificate does not count yet',
    rule: 'certificate-dates',
    says: 'counts only',
    node: { certificate: { from: '2044-01-01', to: '2045-01-01' } },
  },
  {
    name: 'the certificate is for another name of ours',
    rule: 'certificate-other-name',
    node: { certificate: { names: ['old.saltmarsh.example'] } },
  },
  {
    name: "the neighbour's certificate is shown as the default",
    rule: 'certificate-other-name',
    says: 'default certificate',
    node: { certificate: 'none', showsToAll: true },
  },
  {
    name: "somebody else's certificate",
    rule: 'certificate-other-name',
    says: "somebody else's server",
    node: { certificate: { names: ['www.example.org'] } },
  },
  {
    name: 'a wildcard that covers another level',
    rule: 'certificate-other-name',
    node: { certificate: { names: ['*.field.saltmarsh.example'] } },
  },
  {
    name: 'the intermediate is missing',
    rule: 'certificate-untrusted',
    says: 'without its intermediate',
    node: { certificate: { sends: 'leaf' } },
  },
  { name: 'an authority that nobody trusts', rule: 'certificate-untrusted', node: { certificate: { by: 'stranger' } } },
  {
    name: 'a self-made certificate',
    rule: 'certificate-untrusted',
    says: 'self-made',
    node: { certificate: { by: 'itself' } },
  },
  {
    name: 'a certificate for clients',
    rule: 'certificate-untrusted',
    says: 'not made for servers',
    node: { certificate: { use: 'client' } },
  },
  {
    name: 'the chain in the wrong order',
    rule: 'certificate-chain-order',
    severity: 'warning',
    node: { certificate: { sends: 'swapped' } },
  },
  {
    name: 'an RSA key of 1024 bits',
    rule: 'certificate-weak',
    says: '1024',
    node: { certificate: { key: 'rsa-1024' } },
  },
  {
    name: 'the old certificate after a renewal',
    rule: 'certificate-not-planned',
    severity: 'warning',
    held: {},
    node: { certificate: { from: '2026-10-01', to: soon(30) } },
  },
  {
    name: 'another certificate over IPv6',
    rule: 'certificate-untrusted',
    says: ' at [::1]:',
    addresses: ['127.0.0.1', '::1'],
    second: { certificate: { by: 'stranger' } },
  },
];

function soon(days: number): string {
  return new Date(Date.now() + days * 86_400_000).toISOString();
}
