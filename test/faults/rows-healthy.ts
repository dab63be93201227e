import { wildServers, type Row } from './row.ts';

const html = { 'content-type': 'text/html' };
const well = (name: string, rest: Partial<Row>): Row => ({ name, rule: null, ...rest });

/** Installations that are well, however odd they look: nothing must be said of them. */
export const healthyRows: Row[] = [
  well('written by hand for nginx', { nginx: {} }),
  well('written by hand for haproxy', {
    road: 'expect: {path: /live, websocket: true, status: 200}',
    service: { live: 'echoes' },
    haproxy: {},
  }),
  well('written by hand for httpd', {
    road: 'expect: {path: /live, websocket: true, status: 200}',
    service: { live: 'echoes' },
    httpd: {},
  }),
  well('gates by hand for haproxy', {
    road: 'gate: far',
    haproxy: { secure: 'http-request deny if { hdr_beg(host) -i nestcam } !{ src 198.51.100.0/24 }' },
  }),
  well('gates by hand for httpd', {
    road: 'gate: far',
    httpd: {
      nestcam: 'ProxyPass / http://127.0.0.1:{service}/\n  <Location />\n    Require ip 198.51.100.0/24\n  </Location>',
    },
  }),
  well('all other names, by a wildcard made by hand for nginx', {
    others: 'to: ":{service}"',
    nginx: { certificate: { names: ['*.saltmarsh.example'] }, extra: wildServers },
  }),
  well('IPv6 alone', { addresses: ['::1'] }),
  well('IPv4 and IPv6', { addresses: ['127.0.0.1', '::1'] }),
  well('two addresses of one kind', { addresses: ['127.0.0.1', '127.0.0.5'] }),
  well('301 in place of 308', {
    node: { http: { answers: 301, headers: { location: 'https://{name}:{https}{target}' } } },
  }),
  well('302, which is told in a note', {
    node: { http: { answers: 302, headers: { location: 'https://{name}:{https}{target}' } } },
  }),
  well('a Location in capitals', {
    node: { http: { answers: 308, headers: { location: 'HTTPS://NESTCAM.saltmarsh.example:{https}{target}' } } },
  }),
  well('TLS 1.3 alone', { node: { tls: { min: 'TLSv1.3' } } }),
  well('TLS 1.2 alone', { node: { tls: { max: 'TLSv1.2' } } }),
  well('HTTP/2', { node: { speaksTwo: true } }),
  well('a wildcard certificate', { node: { certificate: { names: ['*.saltmarsh.example'] } } }),
  well('a certificate with many names', {
    node: { certificate: { names: ['a.example.org', 'nestcam.saltmarsh.example', 'b.example.org'] } },
  }),
  well('another sound certificate than the one here', { held: { to: '2026-12-24' } }),
  well('another service behind each language', {
    service: {
      does: {
        answers: 200,
        headers: { ...html, vary: 'accept-language', 'content-language': 'fy' },
        body: '<title>Nestkamera</title>',
      },
    },
  }),
  well('a page in Latin-1', {
    service: {
      does: {
        answers: 200,
        headers: { 'content-type': 'text/html; charset=iso-8859-1' },
        body: '<title>Nest \u00e9</title>',
      },
    },
  }),
  well('a service that is slow', { service: { does: { slowly: 400, then: 'page' } } }),
  well('a page of a megabyte', {
    service: {
      does: {
        answers: 200,
        headers: html,
        body: `<title>Nest camera</title>${'<p>one bird and another one'.repeat(40_000)}`,
      },
    },
  }),
  well('a page that is new at every visit', {
    service: { does: { answers: 200, headers: html, body: '<title>Nest camera</title>{time}' } },
  }),
  well('a service that compresses whatever is asked', {
    service: { does: { answers: 200, headers: html, body: '<title>Nest camera</title>' } },
    nginx: { extra: 'gzip on; gzip_min_length 1; gzip_types *;' },
  }),
  well('a page of many parts, chunk by chunk', {
    service: {
      does: { answers: 200, headers: { ...html, 'transfer-encoding': 'chunked' }, body: '<title>Nest camera</title>' },
    },
  }),
  well('401 by the service itself', {
    service: { does: { answers: 401, headers: { 'www-authenticate': 'Basic realm="camera"' }, body: 'who are you' } },
  }),
  well('403 by the service itself', { service: { does: { answers: 403, body: 'the camera is for wardens' } } }),
  well('404 at the root of an API', {
    service: {
      does: { answers: 404, headers: { 'content-type': 'application/json' }, body: '{"error":"no such path"}' },
    },
  }),
  well('204 with an empty page', { service: { does: { answers: 204 } } }),
  well('a redirect to /login', {
    service: {
      does: { when: { target: '^/login' }, then: 'page', otherwise: { answers: 302, headers: { location: '/login' } } },
    },
  }),
  well('a redirect to itself with a cookie', {
    service: {
      does: {
        when: { has: ['cookie', 'seen=1'] },
        then: 'page',
        otherwise: { answers: 302, headers: { location: '{target}', 'set-cookie': 'seen=1; Path=/' } },
      },
    },
  }),
  well('a redirect to a login elsewhere', {
    service: { does: { answers: 302, headers: { location: 'https://login.example.org/?to=nestcam' } } },
  }),
  well('a login page with sound cookies', {
    service: {
      does: {
        answers: 200,
        headers: { ...html, 'set-cookie': ['session=1; Secure; HttpOnly; SameSite=Lax', 'lang=en; Path=/'] },
        body: '<title>Log in</title><form action="/login">',
      },
    },
  }),
  well('a page with links to other sites', {
    service: {
      does: {
        answers: 200,
        headers: html,
        body: '<title>Nest camera</title><a href="http://www.example.org/">a friend</a>',
      },
    },
  }),
  well('a page of links to devices at home', {
    service: {
      does: {
        answers: 200,
        headers: html,
        body: '<title>Nest camera</title><a href="http://192.168.64.1/">router</a><a href="http://printer/">printer</a>',
      },
    },
  }),
  well('a service of HTTP/1.0 kind', {
    service: { does: { answers: 200, headers: { ...html, connection: 'close' }, body: '<title>Nest camera</title>' } },
  }),
  well('a WebSocket', { road: 'expect: {path: /live, websocket: true}', service: { live: 'echoes' } }),
  well('a WebSocket through nginx', {
    road: 'expect: {path: /live, websocket: true}',
    service: { live: 'echoes' },
    nginx: {},
  }),
  well('a gate that refuses with a page of its own', {
    road: 'gate: far',
    node: { https: { answers: 403, headers: html, body: '<title>Not here</title>ask a warden' } },
  }),
  well('a gate that hides the service behind a 404', { road: 'gate: far', node: { https: { frontError: 404 } } }),
  well('a gate of people that sends them to a login page', {
    road: 'gate: wardens',
    node: { https: { answers: 302, headers: { location: 'https://login.example.org/?to=nestcam' } } },
  }),
  well('a gate that closes the connection', { road: 'gate: far', node: { https: 'closes' } }),
  well('a forbidden method that is refused in other words', {
    road: 'methods: [GET, HEAD]',
    node: { https: { when: { method: 'GET|HEAD' }, then: 'passes', otherwise: { frontError: 403 } } },
  }),
  well('HSTS that is to be forgotten, and is not sent', { road: 'hsts: forget' }),
  well('strangers get 404', {
    node: { showsToAll: true, strangers: { frontError: 404 }, plainStrangers: { frontError: 404 } },
  }),
  well('strangers are sent elsewhere', {
    node: { plainStrangers: { answers: 307, headers: { location: 'https://www.example.org/' } } },
  }),
  well('an own error page behind an own status that the map expects', {
    road: 'expect: {status: 503}',
    service: { does: { answers: 503, headers: html, body: '<title>Camera asleep</title>it wakes at dawn' } },
  }),
];
