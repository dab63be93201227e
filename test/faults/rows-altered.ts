import type { Does, Row } from './row.ts';

const html = { 'content-type': 'text/html' };
const listed = '<ul><li>one<li>two<li>three<li>four<li>five<li>six<li>seven</ul>';
const own = `<title>Nest camera</title>${listed}`;
const headers = 'proxy_set_header Host $http_host; proxy_set_header X-Forwarded-Proto https;';
const at = (path: string): string => `location / { proxy_pass http://127.0.0.1:{service}${path}; ${headers} }`;
/** Knows nothing but its own pages, and names what it was asked for. */
const strict: Does = {
  when: { target: '^/(live)?$' },
  then: 'page',
  otherwise: { answers: 404, headers: html, body: 'Cannot GET {target}' },
};
const tables: Does = {
  when: { target: '^/tables' },
  then: { answers: 200, headers: html, body: `<title>Tables of the tide</title>${listed}{target}` },
  otherwise: 'page',
};

/** The front asks the service for something else than visitors do, or changes what it says. */
export const alteredRows: Row[] = [
  {
    name: 'the service is told its own address as its name, and redirects there',
    rule: 'front-alters-request',
    says: 'sends the service the Host 127.0.0.1:',
    service: {
      does: {
        when: { publicName: true },
        then: 'page',
        otherwise: { answers: 302, headers: { location: 'http://127.0.0.1:{service}/login' } },
      },
    },
    nginx: { nestcam: 'location / { proxy_pass http://127.0.0.1:{service}; proxy_redirect off; }' },
  },
  {
    name: 'httpd: the service is told its own address as its name',
    rule: 'front-alters-request',
    says: 'sends the service the Host 127.0.0.1:',
    service: {
      does: {
        when: { publicName: true },
        then: 'page',
        otherwise: { answers: 404, body: 'there is no such site here' },
      },
    },
    httpd: { nestcam: 'ProxyPass / http://127.0.0.1:{service}/' },
  },
  {
    name: 'the front adds the name to the path',
    rule: 'front-alters-request',
    says: 'for /nestcam/',
    service: { does: strict },
    nginx: { nestcam: at('/nestcam/') },
  },
  {
    name: 'the front adds something to the path',
    rule: 'front-alters-request',
    says: 'for /app/mile-marker-probe/deep',
    service: { does: strict },
    nginx: { nestcam: at('/app/') },
  },
  {
    name: 'the front adds something, and the service does not say what',
    rule: 'front-alters-request',
    says: 'cuts the path or adds to it',
    service: {
      does: { when: { target: '^/app' }, then: { answers: 404, body: 'nothing here' }, otherwise: 'page' },
    },
    nginx: { nestcam: at('/app/') },
  },
  {
    name: 'httpd: the slash behind the service is forgotten',
    rule: 'front-alters-request',
    says: 'the first page only',
    service: { does: strict },
    httpd: { nestcam: 'ProxyPass / http://127.0.0.1:{service}\n  ProxyPreserveHost On' },
  },
  {
    name: 'the front asks for the first page whatever is wanted',
    rule: 'front-alters-request',
    says: 'asks 127.0.0.1',
    service: { does: strict },
    nginx: { nestcam: `location / { rewrite ^ / break; proxy_pass http://127.0.0.1:{service}; ${headers} }` },
  },
  {
    name: 'the front passes on the first page only',
    rule: 'front-alters-request',
    says: 'the first page only',
    service: { does: tables },
    nginx: {
      nestcam: `location = / { proxy_pass http://127.0.0.1:{service}; ${headers} } location / { return 404; }`,
    },
  },
  {
    name: 'the front cuts the prefix of a part',
    rule: 'front-alters-request',
    says: 'for /',
    road: 'paths: {/tables: ":{service}"}',
    service: { does: tables },
    nginx: {
      nestcam: `location /tables/ { proxy_pass http://127.0.0.1:{service}/; ${headers} } location = /tables { proxy_pass http://127.0.0.1:{service}/; ${headers} } ${at('')}`,
    },
  },
  {
    name: 'a part that redirects leads elsewhere',
    rule: 'road-redirect-wrong',
    road: 'paths: {/old: {redirect: "https://www.example.org"}}',
    node: {
      https: {
        when: { target: '^/old' },
        then: { answers: 307, headers: { location: 'https://www.example.com/' } },
        otherwise: 'passes',
      },
    },
  },
  {
    name: 'the front shows the files of a folder',
    rule: 'wrong-service',
    says: 'the files in a folder',
    node: { https: { answers: 200, headers: html, body: '<title>Index of /</title><h1>Index of /</h1><pre>a b' } },
  },
  {
    name: 'the front shows an old copy',
    rule: 'front-shows-old-copy',
    severity: 'warning',
    says: 'Age: 300',
    node: { https: { answers: 200, headers: { ...html, age: '300' }, body: '<title>Nest camera</title>as of May' } },
  },
  {
    name: 'the front shows a copy with another mark',
    rule: 'front-shows-old-copy',
    severity: 'warning',
    says: 'ETag "may"',
    service: { does: { answers: 200, headers: { ...html, etag: '"june"' }, body: own } },
    node: { https: { answers: 200, headers: { ...html, etag: '"may"' }, body: own } },
  },
  {
    name: 'the front calls the page something else',
    rule: 'front-changes-type',
    severity: 'warning',
    says: 'text/plain',
    service: { does: { answers: 200, headers: html, body: own } },
    node: { https: { answers: 200, headers: { 'content-type': 'text/plain' }, body: own } },
  },
  {
    name: 'haproxy: the name is compared with its capitals',
    rule: 'name-compared-too-strictly',
    severity: 'warning',
    haproxy: {
      secure: 'http-request deny deny_status 404 unless { hdr_beg(host) nestcam } or { hdr_beg(host) -i tides }',
    },
  },
  {
    name: 'haproxy: the name is compared without its port',
    rule: 'front-cannot-reach-service',
    haproxy: {
      secure:
        'http-request deny deny_status 404 unless { hdr(host) -i nestcam.saltmarsh.example } or { hdr_beg(host) -i tides }',
    },
  },
];
