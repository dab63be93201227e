import type { Row } from './row.ts';

const byHost = `RewriteEngine On
  RewriteCond %{HTTP_HOST} ^([^:]+)`;
const toWww = `RewriteEngine On
  RewriteCond %{THE_REQUEST} "^[^ ]+ (/[^ ?]*)"
  RewriteRule ^ https://www.saltmarsh.example%1 [R=308,L,NE]
  AllowEncodedSlashes NoDecode`;
const people = `<Location />
    AuthType Basic
    AuthName wardens
    AuthUserFile {own}/nobody
    Require valid-user
  </Location>`;
const passes = 'ProxyPass / http://127.0.0.1:{service}/ upgrade=websocket\n  ProxyPreserveHost On';

/** The slips that people make in configuration for servers for which Mile Marker does not write any: they verify before they move over. */
export const serverRows: Row[] = [
  {
    name: 'haproxy: the backend is a dead port',
    rule: 'front-cannot-reach-service',
    says: 'answers 503 by itself',
    haproxy: { nestcam: 'server one 127.0.0.1:9', defaults: 'retries 0' },
  },
  {
    name: "haproxy: the backend is the neighbour's",
    rule: 'wrong-service',
    haproxy: { nestcam: 'server one 127.0.0.1:{tides}' },
  },
  {
    name: 'haproxy: TLS to a backend that speaks plain HTTP',
    rule: 'front-cannot-reach-service',
    haproxy: { nestcam: 'server one 127.0.0.1:{service} ssl verify none', defaults: 'retries 0' },
  },
  {
    name: 'haproxy: a time limit that is too short',
    rule: 'front-cannot-reach-service',
    says: 'took too long',
    service: { does: { slowly: 900, then: 'page' } },
    haproxy: { nestcam: 'timeout server 200ms\n  server one 127.0.0.1:{service}' },
  },
  {
    name: 'haproxy: names that nobody knows get the first certificate and backend',
    rule: 'stranger-sees-something',
    haproxy: { bind: 'ssl-min-ver TLSv1.2 alpn h2,http/1.1' },
  },
  {
    name: 'haproxy: TLS 1.0 is still taken',
    rule: 'tls-too-old',
    haproxy: { bind: 'strict-sni ssl-min-ver TLSv1.0 ciphers DEFAULT@SECLEVEL=0 alpn h2,http/1.1' },
  },
  {
    name: 'haproxy: the redirect keeps the port of plain HTTP',
    rule: 'redirect-wrong',
    says: 'a port that visitors do not use',
    haproxy: { plain: 'http-request redirect scheme https code 301' },
  },
  {
    name: 'haproxy: the gate names the wrong network',
    rule: 'gate-open',
    road: 'gate: far',
    haproxy: { secure: 'http-request deny unless { src 127.0.0.0/8 }' },
  },
  {
    name: 'haproxy: the gate believes what visitors say',
    rule: 'gate-open',
    says: 'when a header says',
    road: 'gate: far',
    haproxy: {
      secure:
        'http-request set-src req.hdr(x-forwarded-for)\n  http-request deny if { hdr_beg(host) -i nestcam } !{ src 198.51.100.0/24 }',
    },
  },
  {
    name: 'haproxy: upgrades are taken away',
    rule: 'websocket-not-passed',
    road: 'expect: {path: /live, websocket: true}',
    service: { live: 'echoes' },
    haproxy: { secure: 'http-request del-header upgrade' },
  },

  {
    name: 'httpd: the slash behind the name is forgotten in the redirect',
    rule: 'redirect-wrong',
    says: 'to another name',
    httpd: {
      plain:
        'AllowEncodedSlashes NoDecode\n  RewriteEngine On\n  RewriteRule ^/(.*)$ https://nestcam.saltmarsh.example$1 [R=301,L,NE]',
    },
  },
  {
    name: 'httpd: ProxyPass to a dead port',
    rule: 'front-cannot-reach-service',
    says: 'answers 503 by itself',
    httpd: { nestcam: 'ProxyPass / http://127.0.0.1:9/' },
  },
  {
    name: 'httpd: the gate names the wrong network',
    rule: 'gate-open',
    road: 'gate: far',
    httpd: { nestcam: `${passes}\n  <Location />\n    Require ip 127.0.0.0/8\n  </Location>` },
  },
  {
    name: "httpd: ProxyPass to the neighbour's port",
    rule: 'wrong-service',
    httpd: { nestcam: 'ProxyPass / http://127.0.0.1:{tides}/' },
  },
  {
    name: 'httpd: the default virtual host shows the service',
    rule: 'stranger-sees-something',
    httpd: { default80: passes },
  },
  {
    name: 'httpd: the name of the virtual host is written otherwise',
    rule: 'certificate-other-name',
    says: 'its default certificate',
    httpd: { nestcam: `ServerName nest-cam.saltmarsh.example\n  ${passes}` },
  },
  {
    name: 'httpd: upgrades are not passed',
    rule: 'websocket-not-passed',
    road: 'expect: {path: /live, websocket: true}',
    service: { live: 'echoes' },
    httpd: { nestcam: 'ProxyPass / http://127.0.0.1:{service}/\n  ProxyPreserveHost On' },
  },
  {
    name: 'httpd: the redirect goes past the gate',
    rule: 'gate-open',
    road: 'gate: far',
    to: '{redirect: "https://www.saltmarsh.example"}',
    httpd: { nestcam: `${toWww}\n  <Location />\n    Require ip 198.51.100.0/24\n  </Location>` },
  },
  {
    name: 'httpd: the password file is not there',
    rule: 'gate-shut',
    says: 'with 500',
    road: 'gate: wardens',
    login: true,
    httpd: { nestcam: `${people}\n  ${passes}` },
  },
  {
    name: 'httpd: escaped slashes are not redirected',
    rule: 'redirect-wrong',
    severity: 'warning',
    says: 'an escaped slash',
    httpd: { plain: `${byHost}\n  RewriteRule ^/?(.*)$ https://%1:{https}/$1 [R=301,L,NE]` },
  },
];
