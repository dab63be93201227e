import { doable } from '../../gates/kinds.ts';
import { checkLines } from './gate-lines.ts';
import { headerOf, titleOf } from '../../legs/answer.ts';
import { askWords, markHealth, readOnly } from '../compose-parts.ts';
import type { ProxyProgram } from '../program.ts';
import { differs } from './differs.ts';
import { serverWords } from '../server-words.ts';
import { readDump } from './dump.ts';
import { nginxErrorLog } from './error-log.ts';
import { nginxRenderer, wholeFile } from './renderer.ts';
import { isSwitchedOff } from '../switched-off.ts';
import { switchOff } from './switch-off.ts';
import { takeOver } from './take-over.ts';

export const nginx: ProxyProgram = {
  name: 'nginx',
  title: 'nginx',
  renderer: nginxRenderer,
  differs,
  takes: null,
  configFolders: ['/etc/nginx', '/usr/local/etc/nginx', '/usr/local/nginx/conf'],
  limits: {
    // What the C library of Debian 12 verifies, and those that nginx itself does.
    checks: doable(checkLines),
    hashes: [
      'bcrypt',
      'sha256-crypt',
      'sha512-crypt',
      'yescrypt',
      'apr1',
      'md5-crypt',
      'sha1',
      'salted-sha1',
      'des',
      'clear',
    ],
    hashesInLoop: true,
    people: 'file',
    pair: 'two-files',
    folders: true,
    logFiles: true,
    pin: false,
    addressInCertificate: false,
    refusesHandshake: true,
    closesSilently: true,
    readsEveryLine: false,
    rate: true,
    rawPorts: ['tcp', 'udp'],
    readsFolder: false,
    readsFiles: false,
    servesAsRoot: true,
    peopleFiles: 'many',
    severalTimes: 'yes',
    readsCertificatesAnew: false,
  },
  pages: {
    isWelcome: ({ body }) => /^welcome to nginx!?$/i.test(titleOf(body) ?? ''),
    isOwnError: (answer) =>
      /^nginx/.test(headerOf(answer, 'server') ?? '') &&
      /<hr><center>nginx(\/[\d.]+)?( \([^)]*\))?<\/center>/.test(answer.body),
    wantsHttps: ({ body }) => /HTTP request was sent to HTTPS/i.test(body),
  },
  errorLog: nginxErrorLog,
  dump: readDump,
  takeOver,
  switchOff: { make: switchOff, isMade: isSwitchedOff },
  users: ['www-data', 'nginx', 'http', 'nobody'],
  userInImage: 'nginx',
  units: ['nginx'],
  versions: { lowest: '1.21.4', newest: '1.26.3' },
  modules: [
    { name: 'http_ssl_module', package: 'nginx-light' },
    { name: 'http_v2_module', package: 'nginx-light' },
    { name: 'http_realip_module', package: 'nginx-light' },
  ],
  words: serverWords({
    unit: 'nginx',
    package: 'nginx-light',
    reload: 'nginx -t && nginx -s reload',
    signal: 'HUP',
    installs: true,
  }),
  hints: {
    'keep-host': '`$host` is the name that was asked for',
    'keep-target': '`$request_uri` is the target as it came',
    'pass-host': '`proxy_set_header Host $http_host;`',
    'pass-path': '`proxy_pass` without a path behind the port',
    'long-answer-heads': '`proxy_buffer_size 32k; proxy_buffers 8 32k;`',
    'early-hints': 'the versions before 1.29 do not read past them',
    'visitor-address': '`proxy_set_header X-Forwarded-For $remote_addr;`',
    'quiet-live': '`proxy_read_timeout 1h;`',
    buffering: '`proxy_buffering off; proxy_cache off;`',
    uploads: '`client_max_body_size 0;`',
    'tls-versions': '`ssl_protocols TLSv1.2 TLSv1.3;` in the default server of the port',
    'tls-suites': '`ssl_ciphers ECDHE+AESGCM:ECDHE+CHACHA20;` in the default server of the port',
    'listen-tls': '`listen 443 ssl;`',
    websocket: '`proxy_http_version 1.1; proxy_set_header Upgrade websocket; proxy_set_header Connection upgrade;`',
    'default-site': 'on Debian: rm /etc/nginx/sites-enabled/default',
  },
  compose: ({ plan, front, certificates, more }) => ({
    image: 'nginx:stable',
    command: ['nginx', '-e', '/dev/stderr', '-c', `${front}/current/${wholeFile}`, '-g', 'daemon off;'],
    volumes: [front, certificates, ...more].map(readOnly),
    healthcheck: markHealth(plan),
  }),
  contained: {
    test: (front) => ['nginx', '-t', '-q', '-e', '/dev/stderr', '-c', `${front}/current/${wholeFile}`],
    signal: 'HUP',
    stop: 'SIGQUIT',
    ask: (url) => ['sh', '-c', askWords(url)],
  },
};
