import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { standalone as haproxyAlone } from '../src/core/proxies/haproxy/renderer.ts';
import { standalone as httpdAlone, usedModules } from '../src/core/proxies/httpd/renderer.ts';
import { standalone as nginxAlone } from '../src/core/proxies/nginx/renderer.ts';
import { roadName } from './large-map.ts';

/** @property folder of the map, with its certificates and the written files @property pairs a certificate for each name */
export interface LargeSite {
  folder: string;
  roads: number;
  pairs: boolean;
  ports: { http: number; https: number };
}

/** How a server is tested and started on one whole configuration. */
export interface Started {
  test: string[];
  start: string[];
}

/** @property debian package of it @property reload the signal by which it reads its files again */
export interface LargeServer {
  program: string;
  debian: string;
  reload: NodeJS.Signals;
  /** On the files that Mile Marker wrote, and on the smallest ones that lead the same names to the same places. */
  ours: (site: LargeSite) => Started;
  byHand: (site: LargeSite) => Started;
}

const modules = '/usr/lib/apache2/modules';
/** httpd serves as another user than root, or not at all. */
const httpdUser = process.getuid?.() === 0 ? 'www-data' : null;

export const largeServers: Record<'nginx' | 'httpd' | 'haproxy', LargeServer> = {
  nginx: {
    program: '/usr/sbin/nginx',
    debian: 'nginx-light',
    reload: 'SIGHUP',
    ours: (site) => onNginx(site, 'ours', `include "${written(site)}/front.conf";`),
    byHand: (site) => onNginx(site, 'other', nginxByHand(site)),
  },
  httpd: {
    program: '/usr/sbin/apache2',
    debian: 'apache2',
    reload: 'SIGUSR1',
    ours: (site) =>
      onHttpd(site, 'ours', (runFolder) => httpdAlone({ current: written(site), runFolder, modules, user: httpdUser })),
    byHand: (site) => onHttpd(site, 'other', (run) => httpdByHand(site, run)),
  },
  haproxy: {
    program: '/usr/sbin/haproxy',
    debian: 'haproxy',
    reload: 'SIGUSR2',
    ours: (site) => onHaproxy(site, 'ours', (runFolder) => haproxyAlone({ runFolder, user: null }), [written(site)]),
    byHand: (site) => onHaproxy(site, 'other', (run) => haproxyByHand(site, run), []),
  },
};

const written = ({ folder }: LargeSite): string => join(folder, '.mile-marker/front/current');

const namesOf = ({ roads }: LargeSite): string[] =>
  Array.from({ length: roads }, (_, index) => `${roadName(index)}.saltmarsh.example`);

/** Where the road of this number leads. */
const to = (index: number): string =>
  `10.${String(64 + (index >> 16))}.${String((index >> 8) & 255)}.${String(index & 255)}:8080`;

/** Certificate and key of a name, or of all. */
function pairOf({ folder, pairs }: LargeSite, name: string): { certificate: string; key: string } {
  const current = join(folder, '.mile-marker/certificates', pairs ? name : 'marsh', 'current');
  return { certificate: join(current, 'certificate.pem'), key: join(current, 'key.pem') };
}

function runFolder({ folder }: LargeSite, what: string): string {
  const run = join(folder, `run-${what}`);
  mkdirSync(run);
  return run;
}

function onNginx(site: LargeSite, what: string, lines: string): Started {
  const run = runFolder(site, what);
  const whole = nginxAlone({ current: '/dev/null', runFolder: run, user: 'root' });
  const config = join(run, 'nginx.conf');
  writeFileSync(
    config,
    whole.replace(/include "\/dev\/null\/front\.conf";/, () => lines),
  );
  return {
    test: ['-t', '-q', '-c', config, '-e', 'stderr'],
    start: ['-c', config, '-e', join(run, 'error.log'), '-g', 'daemon off;'],
  };
}

/** By name to an address in one `map`, as many servers as there are certificates; unknown names are refused in the handshake. */
function nginxByHand(site: LargeSite): string {
  const { roads, pairs, ports } = site;
  const names = namesOf(site);
  const serve = (own: readonly string[], pass: string): string => {
    const { certificate, key } = pairOf(site, own[0] ?? '');
    return `server {\n  listen 127.0.0.1:${String(ports.https)} ssl http2;\n  server_name ${own.join('\n    ')};\n  ssl_certificate ${certificate};\n  ssl_certificate_key ${key};\n  location / { proxy_pass http://${pass}; proxy_set_header Host $host; }\n}`;
  };
  return [
    `server_names_hash_max_size ${String(roads * 8)};`,
    ...(pairs ? [] : [`map $host $to {\n${names.map((name, index) => `  ${name} ${to(index)};`).join('\n')}\n}`]),
    `server { listen 127.0.0.1:${String(ports.https)} ssl http2 default_server; ssl_reject_handshake on; }`,
    `server { listen 127.0.0.1:${String(ports.http)} default_server; return 444; }`,
    `server {\n  listen 127.0.0.1:${String(ports.http)};\n  server_name ${names.join('\n    ')};\n  return 308 https://$host:${String(ports.https)}$request_uri;\n}`,
    ...(pairs ? names.map((name, index) => serve([name], to(index))) : [serve(names, '$to')]),
  ].join('\n');
}

function onHttpd(site: LargeSite, what: string, text: (run: string) => string): Started {
  const run = runFolder(site, what);
  const config = join(run, 'httpd.conf');
  writeFileSync(config, text(run));
  return { test: ['-t', '-f', config], start: ['-f', config, '-DFOREGROUND'] };
}

/** A server for each name, as httpd is told of names; the first one answers all others. */
function httpdByHand(site: LargeSite, run: string): string {
  const { http, https } = site.ports;
  const secure = (name: string, lines: readonly string[]): string => {
    const { certificate, key } = pairOf(site, name);
    return `<VirtualHost 127.0.0.1:${String(https)}>\nServerName ${name}\nSSLEngine on\nSSLCertificateFile "${certificate}"\nSSLCertificateKeyFile "${key}"\nProtocols h2 http/1.1\n${lines.join('\n')}\n</VirtualHost>`;
  };
  const names = namesOf(site);
  return [
    `ServerRoot "${run}"`,
    'ServerName localhost',
    ...(httpdUser === null ? [] : [`User ${httpdUser}`, `Group ${httpdUser}`]),
    `DefaultRuntimeDir "${run}"`,
    `PidFile "${run}/httpd.pid"`,
    `ErrorLog "${run}/error.log"`,
    ...usedModules.map(
      (one) => `<IfModule !${one}_module>\nLoadModule ${one}_module "${modules}/mod_${one}.so"\n</IfModule>`,
    ),
    'TypesConfig /dev/null',
    'SSLSessionCache none',
    `Listen 127.0.0.1:${String(http)}`,
    `Listen 127.0.0.1:${String(https)}`,
    `<VirtualHost 127.0.0.1:${String(http)}>\nServerName other.invalid\nRewriteEngine On\nRewriteRule ^ https://%{HTTP_HOST}:${String(https)}%{REQUEST_URI} [R=308,L]\n</VirtualHost>`,
    secure(names[0] ?? '', ['RewriteEngine On', 'RewriteRule ^ - [R=404]']).replace(
      /ServerName .*/,
      'ServerName other.invalid',
    ),
    ...names.map((name, index) => secure(name, ['ProxyPreserveHost On', `ProxyPass / http://${to(index)}/`])),
    '',
  ].join('\n');
}

function onHaproxy(site: LargeSite, what: string, text: (run: string) => string, more: readonly string[]): Started {
  const run = runFolder(site, what);
  const config = join(run, 'haproxy.cfg');
  writeFileSync(config, text(run));
  const files = ['-f', config, ...more.flatMap((one) => ['-f', one])];
  return { test: ['-c', '-q', ...files], start: ['-W', ...files] };
}

/** By name to a backend in a map file; `strict-sni` refuses other names in the handshake. */
function haproxyByHand(site: LargeSite, run: string): string {
  const { http, https } = site.ports;
  const names = namesOf(site);
  const map = join(run, 'names.map');
  writeFileSync(map, names.map((name, index) => `${name} hide-${String(index)}\n`).join(''));
  const list = join(run, 'certificates.list');
  const { certificate } = pairOf(site, '');
  writeFileSync(
    list,
    // One line for all names of the wildcard.
    `${site.pairs ? names.map((name) => `${pairOf(site, name).certificate} ${name}`).join('\n') : certificate}\n`,
  );
  return [
    'global',
    '    maxconn 2000',
    'defaults',
    '    mode http',
    ...['connect 5s', 'client 60s', 'server 60s', 'http-request 30s'].map((one) => `    timeout ${one}`),
    'frontend plain',
    `    bind 127.0.0.1:${String(http)}`,
    `    http-request redirect location https://%[req.hdr(host),field(1,:)]:${String(https)}%[pathq] code 308`,
    'frontend secure',
    `    bind 127.0.0.1:${String(https)} ssl crt-list ${list} strict-sni alpn h2,http/1.1`,
    `    use_backend %[req.hdr(host),field(1,:),lower,map(${map})]`,
    ...names.map((_, index) => `backend hide-${String(index)}\n    server one ${to(index)}`),
    '',
  ].join('\n');
}
