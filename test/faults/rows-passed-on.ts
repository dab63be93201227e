import { proxyNames } from '../../src/core/proxies/names.ts';
import type { Does, NginxFront, Row } from './row.ts';

const html = { 'content-type': 'text/html' };
const listed = '<ul><li>one<li>two<li>three<li>four<li>five<li>six<li>seven</ul>';
const body = `<title>Nest camera</title>${listed}`;
const forwards = 'proxy_set_header Host $http_host; proxy_set_header X-Forwarded-Proto https;';
const nginx = (more: string, to = ''): NginxFront => ({
  nestcam: `location / { proxy_pass http://127.0.0.1:{service}${to}; ${forwards} ${more} }`,
});
/** Says what it was asked for, and by whom. */
const mirror: Does = { answers: 200, headers: html, body: `${body}you asked for {target}, from {forwarded}` };
const cookies = (...lines: string[]): Does => ({ answers: 200, headers: { ...html, 'set-cookie': lines }, body });
const login: Does = {
  when: { has: ['authorization', 'Bearer'] },
  then: { answers: 401, headers: { 'www-authenticate': 'Bearer error="invalid_token"' } },
  otherwise: { answers: 401, headers: { 'www-authenticate': 'Bearer' } },
};
const film: Does = {
  when: { has: ['range', 'bytes=0-9'] },
  then: { answers: 206, headers: { ...html, 'content-range': 'bytes 0-9/200' }, body: '<title>Nes' },
  otherwise: { answers: 200, headers: { ...html, 'accept-ranges': 'bytes' }, body },
};
const altered = (name: string, says: string, rest: Partial<Row>): Row => ({
  name,
  rule: 'front-alters-answer',
  severity: 'warning',
  says,
  ...rest,
});
const asked = (name: string, says: string, rest: Partial<Row>): Row => ({
  name,
  rule: 'front-alters-request',
  says,
  service: { does: mirror },
  ...rest,
});

/** What a front makes of all that is not the plain first page, and what the map itself promises. */
export const passedOnRows: Row[] = [
  altered('nginx: HEAD is refused', 'to HEAD', { nginx: nginx('if ($request_method = HEAD) { return 405; }') }),
  altered('haproxy: HEAD is refused', 'to HEAD', {
    haproxy: { secure: 'http-request deny deny_status 405 if METH_HEAD { hdr_beg(host) -i nestcam } !{ method GET }' },
  }),
  altered('nginx: parts of a page are not passed on', 'cannot be resumed', {
    service: { does: film },
    nginx: nginx('proxy_set_header Range "";'),
  }),
  altered('httpd: parts of a page are not passed on', 'cannot be resumed', {
    service: { does: film },
    httpd: {
      nestcam: 'RequestHeader unset Range\n  ProxyPass / http://127.0.0.1:{service}/\n  ProxyPreserveHost On',
    },
  }),
  altered('what is compressed is said to be compressed twice', 'accepts compression', {
    node: {
      https: {
        when: { has: ['accept-encoding', 'gzip'] },
        then: { answers: 200, headers: { ...html, 'content-encoding': 'gzip' }, body },
        otherwise: 'passes',
      },
    },
  }),
  altered('nginx: a login does not get through', 'Authorization', {
    service: { does: login },
    nginx: nginx('proxy_set_header Authorization "";'),
  }),
  altered('nginx: cookies are taken away', 'takes away the cookie', {
    service: { does: cookies('seen=1; Path=/; Secure') },
    nginx: nginx('proxy_hide_header Set-Cookie;'),
  }),
  altered('nginx: cookies get another path', 'Path=/inside/', {
    service: { does: cookies('seen=1; Path=/; Secure') },
    nginx: nginx('proxy_cookie_path / /inside/;'),
  }),
  altered('httpd: cookies get another path', 'Path=/inside/', {
    service: { does: cookies('seen=1; Path=/; Secure') },
    httpd: {
      nestcam:
        'ProxyPass / http://127.0.0.1:{service}/\n  ProxyPreserveHost On\n  ProxyPassReverseCookiePath / /inside/',
    },
  }),
  altered('nginx: cookies lose Secure', 'takes that away', {
    service: { does: cookies('lang=en; Path=/; Secure') },
    nginx: nginx('proxy_cookie_flags ~ nosecure;'),
  }),
  altered('nginx: cookies are for a name of the inside', 'which browsers reject', {
    service: { does: cookies('seen=1; Path=/; Secure; Domain=nestcam.saltmarsh.example') },
    nginx: nginx('proxy_cookie_domain nestcam.saltmarsh.example nestcam.marsh.internal;'),
  }),
  {
    name: 'the service sets its cookies for a name of the inside',
    rule: 'cookie-not-kept',
    severity: 'warning',
    service: { does: cookies('seen=1; Path=/; Secure; Domain=nestcam.marsh.internal') },
    own: 'nginx',
  },
  {
    name: 'nginx: a cache gives one session to everybody',
    rule: 'session-shared',
    says: 'always the same',
    service: { does: cookies('session={time}; Path=/; Secure; HttpOnly') },
    nginx: {
      extra: 'proxy_cache_path {own}/cache keys_zone=marsh:1m;',
      ...nginx('proxy_cache marsh; proxy_cache_valid 200 1m; proxy_ignore_headers Set-Cookie Cache-Control;'),
    },
  },
  {
    name: 'nginx: a visitor says where it comes from',
    rule: 'visitor-claims-reach-service',
    severity: 'warning',
    service: { does: mirror },
    nginx: nginx('proxy_set_header X-Forwarded-For $proxy_add_x_forwarded_for;'),
  },
  {
    name: 'haproxy: a visitor says where it comes from, and is believed',
    rule: 'visitor-claims-reach-service',
    severity: 'warning',
    says: 'instead of 200',
    service: {
      does: { when: { has: ['x-forwarded-for', '203.0.113.77'] }, then: { answers: 403 }, otherwise: 'page' },
    },
    haproxy: {},
  },
  {
    name: 'nginx: another status over HTTP/2',
    rule: 'differs-over-http2',
    says: 'answers 404 over HTTP/2',
    nginx: nginx('if ($server_protocol = HTTP/2.0) { return 404; }'),
  },
  {
    name: 'nginx: another service over HTTP/2',
    rule: 'differs-over-http2',
    says: 'another page over HTTP/2',
    nginx: {
      nestcam: `location / { if ($server_protocol = HTTP/2.0) { proxy_pass http://127.0.0.1:{tides}; } proxy_pass http://127.0.0.1:{service}; ${forwards} }`,
    },
  },
  asked('nginx: the query is lost', 'without the query', {
    nginx: nginx('rewrite ^(.*)$ $1? break;'),
  }),
  asked('nginx: a slash more behind the service', 'asks 127.0.0.1', { nginx: nginx('', '//') }),
  asked('nginx: the path is decoded and written anew', 'spelled differently', {
    severity: 'warning',
    nginx: nginx('', '/'),
  }),
  {
    name: 'a header of the map is not sent',
    rule: 'response-header-not-sent',
    severity: 'warning',
    says: 'Referrer-Policy',
    road: 'response-headers: {Referrer-Policy: no-referrer}',
    node: {},
  },
  {
    name: 'pages of an allowed origin may not read',
    rule: 'cors-not-kept',
    severity: 'warning',
    says: 'which the map allows',
    road: 'cors: {origins: ["https://www.example.org"]}',
    node: {},
  },
  {
    name: 'pages of any origin may read',
    rule: 'cors-not-kept',
    severity: 'warning',
    says: 'which the map does not allow',
    road: 'cors: {origins: ["https://www.example.org"]}',
    service: { does: { answers: 200, headers: { ...html, 'access-control-allow-origin': '*' }, body } },
    node: {},
  },
  {
    name: 'browsers are not told to forget HSTS',
    rule: 'hsts-not-sent',
    severity: 'warning',
    says: 'hsts: forget',
    road: 'hsts: forget',
    service: { does: { answers: 200, headers: { ...html, 'strict-transport-security': 'max-age=31536000' }, body } },
    node: {},
  },
  {
    name: 'the page of the map for those who are refused is not shown',
    rule: 'own-page-not-shown',
    severity: 'warning',
    says: 'page `refused`',
    map: 'pages: {refused: site/index.html}\n',
    road: 'gate: far',
    nginx: nginx('deny all;'),
  },
  {
    name: 'nginx: a quiet live connection is cut after a minute',
    rule: 'quiet-connection-cut',
    severity: 'warning',
    road: 'expect: {path: /live, websocket: true}',
    service: { live: 'echoes' },
    argv: ['--thorough'],
    nginx: {},
  },
  {
    name: 'an upload is announced and then cut',
    rule: 'upload-cut',
    severity: 'warning',
    says: '8 MiB',
    argv: ['--thorough'],
    node: { https: { when: { has: ['content-length', '^8388608$'] }, then: { frontError: 502 }, otherwise: 'passes' } },
  },
  {
    name: 'live connections and uploads to their end: nginx',
    rule: null,
    road: 'expect: {path: /live, websocket: true}',
    service: { live: 'echoes' },
    argv: ['--thorough'],
    own: 'nginx',
  },
  ...proxyNames.flatMap((own): Row[] => [
    { name: `a service that says what it was asked for: ${own}`, rule: null, own, service: { does: mirror } },
    { name: `a service that sends parts of a page: ${own}`, rule: null, own, service: { does: film } },
    {
      name: `a service with a session and cookies of all kinds: ${own}`,
      rule: null,
      own,
      service: {
        does: cookies('session={time}; Path=/; Secure; HttpOnly', 'lang=en; Domain=.saltmarsh.example; Path=/; Secure'),
      },
    },
    {
      name: `all that the map says of answers: ${own}`,
      rule: null,
      own,
      map: 'pages: {refused: site/index.html}\n',
      road: 'cors: {origins: ["https://www.example.org"], credentials: true}, response-headers: {Referrer-Policy: no-referrer}, hsts: forget',
    },
  ]),
  {
    name: 'a service that takes no HEAD',
    rule: null,
    own: 'nginx',
    service: { does: { when: { method: 'HEAD' }, then: { answers: 405 }, otherwise: 'page' } },
  },
  { name: 'a service that asks for a login of its own', rule: null, own: 'haproxy', service: { does: login } },
];
