import { wildServers, type Row } from './row.ts';

const passTo = (port: string): string =>
  `location / { proxy_pass http://127.0.0.1:${port}; proxy_set_header Host $http_host; proxy_set_header X-Forwarded-For $remote_addr; proxy_set_header X-Forwarded-Proto https; }`;

/** The slips that people make in configuration for the real server. */
export const nginxRows: Row[] = [
  {
    name: 'nginx: the default site shows the service to all',
    rule: 'stranger-sees-something',
    nginx: { default443: '', default80: '' },
  },
  {
    name: "nginx: one certificate for all, the neighbour's",
    rule: 'certificate-other-name',
    nginx: { certificate: 'of-tides' },
  },
  {
    name: 'nginx: no server for all other names',
    rule: 'handshake-refused',
    others: 'to: ":{service}"',
    nginx: {},
  },
  {
    name: 'nginx: all other names lead elsewhere',
    rule: 'wrong-service',
    others: 'to: ":{service}"',
    nginx: { certificate: { names: ['*.saltmarsh.example'] }, extra: wildServers.replace('{service}', '{tides}') },
  },
  {
    name: 'nginx: all other names are sent to one of them on plain HTTP',
    rule: 'redirect-wrong',
    others: 'to: ":{service}"',
    nginx: {
      certificate: { names: ['*.saltmarsh.example'] },
      extra: wildServers.replace('$host:{https}', 'nestcam.saltmarsh.example:{https}'),
    },
  },
  {
    name: 'nginx: proxy_pass to a dead port',
    rule: 'front-cannot-reach-service',
    says: 'dials http://127.0.0.1:9,',
    nginx: { nestcam: passTo('9') },
  },
  {
    name: 'nginx: a dead port behind a page of its own',
    rule: 'front-cannot-reach-service',
    says: 'dials http://127.0.0.1:9,',
    nginx: {
      nestcam: `error_page 502 /sorry; location = /sorry { internal; return 502 "<title>Sorry</title>"; } ${passTo('9')}`,
    },
  },
  { name: "nginx: proxy_pass to the neighbour's port", rule: 'wrong-service', nginx: { nestcam: passTo('{tides}') } },
  {
    name: 'nginx: proxy_pass with https to plain HTTP',
    rule: 'front-cannot-reach-service',
    says: 'speaks HTTPS to https://127.0.0.1:',
    nginx: { nestcam: 'location / { proxy_pass https://127.0.0.1:{service}; }' },
  },
  {
    name: 'nginx: early hints come before the page',
    rule: 'front-cannot-reach-service',
    says: 'early hints',
    service: { does: 'hints' },
    nginx: {},
  },
  {
    name: 'nginx: the header lines of the service are too long',
    rule: 'front-cannot-reach-service',
    says: 'proxy_buffer_size',
    service: { does: { answers: 200, headers: { 'x-notes': 'n'.repeat(12_000) }, body: '<title>Nest camera</title>' } },
    nginx: {},
  },
  {
    name: 'nginx: proxy_pass to a name that nobody knows',
    rule: 'front-cannot-reach-service',
    says: 'cannot look up the name',
    nginx: {
      nestcam: `resolver 127.0.0.1:9 valid=1s; resolver_timeout 1s; set $marsh nestcam; location / { proxy_pass http://$marsh:3000; }`,
    },
  },
  {
    name: 'nginx: uploads stop at a megabyte',
    rule: 'upload-limit',
    severity: 'warning',
    says: 'an upload of 2 MiB with 413, but the map sets no limit',
    nginx: { uploads: '' },
  },
  {
    name: 'nginx: longer uploads pass than the map says',
    rule: 'upload-limit',
    severity: 'warning',
    says: 'accepts an upload of 10485761 bytes, but the map says `body-limit` 10 MiB',
    road: 'body-limit: 10MiB',
    nginx: {},
  },
  { name: 'nginx: the service is stopped', rule: 'service-down', service: { raw: 'nobody' }, nginx: {} },
  {
    name: 'nginx: a time limit of a second',
    rule: 'front-cannot-reach-service',
    says: 'took too long',
    service: { does: { when: { has: ['x-hide', '.'] }, then: { slowly: 1400, then: 'page' }, otherwise: 'page' } },
    argv: ['--timeout', '3s'],
    nginx: {
      nestcam: `${passTo('{service}').slice(0, -1)} proxy_set_header X-Hide west; proxy_read_timeout 1s; }`,
    },
  },
  {
    name: 'nginx: a page of its own for the name',
    rule: 'front-cannot-reach-service',
    says: 'does not ask the service',
    nginx: { nestcam: 'root {own}/empty; location / { try_files $uri =404; }' },
  },
  {
    name: 'nginx: the redirect to $uri loses what was escaped',
    rule: 'redirect-wrong',
    nginx: { plain: 'return 301 https://$host:{https}$uri$is_args$args;' },
  },
  {
    name: 'nginx: the redirect to $server_name',
    rule: 'redirect-wrong',
    says: 'another name',
    nginx: { plain: 'return 301 https://{tidesName}:{https}$request_uri;' },
  },
  {
    name: 'nginx: TLS 1.0 and 1.1 in the default server',
    rule: 'tls-too-old',
    nginx: { protocols: 'TLSv1 TLSv1.1 TLSv1.2', extra: 'ssl_ciphers DEFAULT@SECLEVEL=0;' },
  },
  {
    name: 'nginx: allow and deny the wrong way round',
    rule: 'gate-open',
    road: 'gate: far',
    nginx: { nestcam: `allow 127.0.0.1; deny all; ${passTo('{service}')}` },
  },
  {
    name: 'nginx: real_ip believes everybody',
    rule: 'gate-open',
    says: 'when a header says',
    road: 'gate: far',
    nginx: {
      nestcam: `set_real_ip_from 0.0.0.0/0; real_ip_header X-Forwarded-For; allow 198.51.100.0/24; deny all; ${passTo('{service}')}`,
    },
  },
  {
    name: 'nginx: return goes past the gate',
    rule: 'gate-open',
    road: 'gate: far',
    to: '{redirect: "https://www.saltmarsh.example"}',
    nginx: { nestcam: 'allow 198.51.100.0/24; deny all; return 308 https://www.saltmarsh.example$request_uri;' },
  },
  {
    name: 'nginx: the password file is not there',
    rule: 'gate-shut',
    road: 'gate: wardens',
    login: true,
    nginx: { nestcam: `auth_basic wardens; auth_basic_user_file {own}/nobody; ${passTo('{service}')}` },
  },
  {
    name: 'nginx: upgrades are not passed',
    rule: 'websocket-not-passed',
    road: 'expect: {path: /live, websocket: true}',
    service: { live: 'echoes' },
    nginx: { nestcam: passTo('{service}') },
  },
  {
    name: 'nginx: add_header in a location drops HSTS',
    rule: 'hsts-not-sent',
    severity: 'warning',
    road: 'hsts: 30d',
    nginx: {
      nestcam: `add_header Strict-Transport-Security max-age=2592000 always; ${passTo('{service}').slice(0, -1)} add_header X-Marsh 1; }`,
    },
  },
  {
    name: 'nginx: HTTPS in a server without ssl',
    rule: 'port-not-served',
    says: 'speaks plain HTTP',
    nginx: { default443: 'server { listen 127.0.0.1:{https} default_server; return 444; }', listen: '{https}' },
  },
];
