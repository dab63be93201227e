import { proxyNames } from '../../src/core/proxies/names.ts';
import type { Does, Row } from './row.ts';

const html = { 'content-type': 'text/html' };
const listed = '<ul><li>one<li>two<li>three<li>four<li>five<li>six<li>seven</ul>';
const page = (title: string, more: Record<string, string> = {}): Does => ({
  answers: 200,
  headers: { ...html, ...more },
  body: `<title>${title}</title>${listed.replaceAll('o', title.slice(0, 1))}`,
});
const forwards = 'proxy_http_version 1.1; proxy_set_header Host $http_host; proxy_set_header X-Forwarded-Proto https;';

/** What was once told with a wrong cause. */
export const causeRows: Row[] = [
  {
    name: 'the resolver fails for the name',
    rule: 'dns-no-answer',
    severity: 'warning',
    says: 'SERVFAIL',
    records: 'fails',
  },
  {
    name: 'the signatures of the zone are wrong',
    rule: 'dns-signature-bad',
    says: 'without checking signatures',
    records: 'bogus',
  },
  {
    name: "another site's page, with another mark",
    rule: 'wrong-service',
    severity: 'warning',
    says: 'titled "Owls"',
    service: { does: page('Nest camera', { etag: '"june"' }) },
    node: { https: page('Owls', { etag: '"may"' }) },
  },
  {
    name: 'nginx: plain HTTP to a service that wants HTTPS',
    rule: 'front-cannot-reach-service',
    says: 'speaks plain HTTP to a service that wants HTTPS',
    to: '"https://127.0.0.1:{service}"',
    road: 'upstream-host: nestcam.saltmarsh.example, upstream-ca: ca.pem',
    service: { tls: true },
    node: {
      https: {
        answers: 400,
        headers: { ...html, server: 'nginx' },
        body: '<html><head><title>400 The plain HTTP request was sent to HTTPS port</title></head><body><hr><center>nginx</center></body></html>',
      },
    },
  },
  {
    name: 'a newer certificate lies here, and the one that is shown is for another name',
    rule: 'certificate-other-name',
    says: 'owls.saltmarsh.example',
    node: { certificate: { names: ['owls.saltmarsh.example'], from: '2026-10-01' } },
    held: { from: '2026-11-20' },
  },
  {
    name: 'nginx: events are gathered until there are enough',
    rule: 'front-holds-back',
    says: 'proxy_buffering off',
    service: { does: 'events' },
    nginx: {
      nestcam: `location / { proxy_pass http://127.0.0.1:{service}; ${forwards} gzip on; gzip_min_length 1; gzip_proxied any; gzip_types *; }`,
    },
  },
  {
    name: 'the front waits for the end of what has none',
    rule: 'front-holds-back',
    service: { does: 'events' },
    node: { https: 'hangs' },
  },
  {
    name: 'nginx: an address is refused on purpose',
    rule: 'front-cannot-reach-service',
    says: 'If the refusal is meant',
    nginx: { nestcam: 'location / { return 403; }' },
  },
  {
    name: 'httpd: everybody is refused on purpose',
    rule: 'front-cannot-reach-service',
    says: 'If the refusal is meant',
    httpd: { nestcam: '<Location />\n    Require all denied\n  </Location>' },
  },
  {
    name: 'haproxy: everybody is refused on purpose',
    rule: 'front-cannot-reach-service',
    says: 'If the refusal is meant',
    haproxy: { secure: 'http-request deny if { hdr_beg(host) -i nestcam }' },
  },
  ...proxyNames.map((own): Row => ({
    name: `the service is gone from its project: ${own}`,
    rule: 'service-down',
    says: 'not known where the service is',
    to: 'nestcam:3000',
    own,
    service: { raw: 'nobody' },
    compose: {
      before: `services: {nestcam: {image: marsh/camera, ports: ["127.0.0.1:{service}:3000"]}}\n`,
      then: `services: {owlcam: {image: marsh/camera, ports: ["127.0.0.1:{service}:3000"]}}\n`,
    },
  })),
  {
    name: 'the service is gone from its project, and a page of somebody says so',
    rule: 'service-unclear',
    severity: 'warning',
    says: 'answers 502',
    to: 'nestcam:3000',
    node: { https: { answers: 502, headers: html, body: '<title>Back soon</title>' } },
  },
  {
    name: 'a chain with a second path, signed by another authority too',
    rule: null,
    node: { certificate: { sends: 'crossed' } },
  },
  {
    name: 'nginx: a challenge is asked for a login',
    rule: 'challenge-shut',
    severity: 'warning',
    map: 'acme: {directory: staging}\n',
    nginx: {
      plain: 'location /.well-known/ { return 403; } location / { return 301 https://$host:{https}$request_uri; }',
    },
  },
  {
    name: 'nginx: a challenge is led to HTTPS, and may be seen there',
    rule: null,
    map: 'acme: {directory: staging}\n',
    nginx: {},
  },
  {
    name: 'a certificate that must be stapled, and is not',
    rule: 'certificate-without-staple',
    node: { certificate: { mustStaple: true } },
  },
  {
    name: 'nginx: suites by which does not encrypt or does not authenticate',
    rule: 'tls-weak-suite',
    severity: 'error',
    says: 'does not encrypt or does not authenticate',
    nginx: { extra: 'ssl_ciphers ECDHE+AESGCM:aNULL:@SECLEVEL=0;' },
  },
  { name: 'events that come through', rule: null, service: { does: 'events' }, own: 'nginx' },
];
