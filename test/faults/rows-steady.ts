import { proxyNames } from '../../src/core/proxies/names.ts';
import type { Does, Row } from './row.ts';

const html = { 'content-type': 'text/html' };
const busy: Does = { answers: 503, headers: html, body: '<title>Busy</title>the camera turns' };
const refusing: Does = { answers: 400, headers: html, body: 'not now' };
const gone: Does = { answers: 404, headers: html, body: 'Cannot GET {target}' };
/** Three copies of the service behind one name; the second of them is not there. */
const oneDead = (
  then: string,
): string => `upstream camera { server 127.0.0.1:{service} max_fails=0; server 127.0.0.1:${then} max_fails=0; server 127.0.0.1:{service} max_fails=0; }
  proxy_next_upstream off;`;
const passed = `location / { proxy_pass http://camera; proxy_http_version 1.1; proxy_set_header Host $http_host;
  proxy_set_header Upgrade $http_upgrade; proxy_set_header Connection $marsh_connection; proxy_set_header X-Forwarded-Proto https; }`;

/** What is right on one request and wrong on the next: no cause may be told that rests on comparing two of them. */
export const steadyRows: Row[] = [
  ...proxyNames.flatMap((own): Row[] => [
    {
      name: `the service is busy every second time: ${own}`,
      rule: 'answers-vary',
      says: 'of 7 requests fail',
      own,
      service: { does: { turns: [busy, 'page'] } },
    },
    {
      name: `the service fails on one request in three: ${own}`,
      rule: 'answers-vary',
      says: 'does the same when it is asked directly',
      own,
      service: { does: { turns: ['page', 'page', { answers: 500, headers: html, body: 'out of memory' }] } },
    },
    {
      name: `the service breaks off one page in two: ${own}`,
      rule: 'answers-vary',
      own,
      service: { does: { turns: ['page', { cutsAfter: '<title>Nest' }] } },
    },
    {
      name: `the service is busy every second time behind a gate: ${own}`,
      rule: 'answers-vary',
      says: 'asked directly',
      road: 'gate: far',
      own,
      service: { does: { turns: ['page', busy] } },
    },
  ]),
  {
    name: 'nginx: one of three copies is dead',
    rule: 'answers-vary',
    says: 'answers 200 each time',
    nginx: { extra: oneDead('1'), nestcam: passed },
  },
  {
    name: 'nginx: one of three copies fails, and the log does not say so',
    rule: 'answers-vary',
    says: 'through the front 3 of 7 requests fail',
    nginx: {
      extra: `${oneDead('{http}')}
  server { listen 127.0.0.9:{http} default_server; return 502; }`.replace(
        '127.0.0.1:{http} max',
        '127.0.0.9:{http} max',
      ),
      nestcam: passed,
    },
  },
  {
    name: 'the service refuses every second request',
    rule: 'answers-vary',
    severity: 'warning',
    says: 'the same request gets different answers',
    service: { does: { turns: [refusing, 'page'] } },
    nginx: {},
  },
  {
    name: 'one of two copies does not know the page',
    rule: 'answers-vary',
    severity: 'warning',
    service: { does: { turns: ['page', gone] } },
    own: 'haproxy',
  },
  {
    name: 'the service takes one live connection in two',
    rule: 'websocket-not-passed',
    says: 'opens on',
    road: 'expect: {path: /live, websocket: true}',
    service: { live: 'every second' },
    nginx: {},
  },
  {
    name: 'a service that counts and asks for patience',
    rule: null,
    service: {
      does: { turns: ['page', 'page', 'page', 'page', 'page', { answers: 429, headers: { 'retry-after': '1' } }] },
    },
    nginx: {},
  },
  {
    name: 'the service is slow every second time',
    rule: null,
    service: { does: { turns: ['page', { slowly: 300, then: 'page' }] } },
    own: 'nginx',
  },
];
