import { doable } from '../../gates/kinds.ts';
import { checkWords } from './gate-lines.ts';
import { askWords, markHealth, readOnly } from '../compose-parts.ts';
import type { ProxyProgram } from '../program.ts';
import { readDump } from './dump.ts';
import { differs } from './differs.ts';
import { takeOver } from './take-over.ts';
import { takes } from './takes.ts';
import { isSwitchedOff } from '../switched-off.ts';
import { haproxyRenderer } from './renderer.ts';
import { switchOff } from './switch-off.ts';
import { serverWords } from '../server-words.ts';

export const haproxy: ProxyProgram = {
  name: 'haproxy',
  title: 'haproxy',
  renderer: haproxyRenderer,
  differs,
  takes,
  configFolders: ['/etc/haproxy', '/usr/local/etc/haproxy'],
  limits: {
    checks: doable(checkWords),
    hashes: ['bcrypt', 'sha256-crypt', 'sha512-crypt', 'yescrypt', 'md5-crypt', 'des'],
    hashesInLoop: true,
    people: 'configuration',
    pair: 'one-file',
    folders: false,
    logFiles: false,
    pin: false,
    addressInCertificate: false,
    refusesHandshake: true,
    closesSilently: true,
    readsEveryLine: true,
    rate: true,
    rawPorts: ['tcp'],
    readsFolder: true,
    readsFiles: false,
    servesAsRoot: true,
    peopleFiles: 'many',
    severalTimes: 'alone',
    readsCertificatesAnew: false,
  },
  pages: {
    isWelcome: () => false,
    isOwnError: ({ body }) => /^<html><body><h1>\d{3} [^<]+<\/h1>\s*[^<]+\s*<\/body><\/html>\s*$/.test(body),
    wantsHttps: () => false,
  },
  errorLog: null,
  dump: readDump,
  takeOver,
  switchOff: { make: switchOff, isMade: isSwitchedOff },
  users: ['haproxy'],
  userInImage: null,
  units: ['haproxy'],
  versions: { lowest: '2.6.0', newest: '3.0.11' },
  modules: [],
  words: serverWords({
    unit: 'haproxy',
    package: 'haproxy',
    // The unit itself tests all that it reads before it tells it.
    reload: 'systemctl reload haproxy',
    signal: 'USR2',
    installs: true,
  }),
  hints: {
    'visitor-address': '`http-request del-header x-forwarded-for` before `option forwardfor`',
    'quiet-live': '`timeout tunnel 1h`',
    'keep-host': '`http-request redirect scheme https` keeps the name that was asked for',
    'default-site': 'haproxy would hand visitors to it and to the written files by turns',
    'tls-versions': '`ssl-min-ver TLSv1.2` on the bind line',
    'tls-suites': '`ciphers ECDHE+AESGCM:ECDHE+CHACHA20` on the bind line',
  },
  compose: ({ plan, front, certificates, more }) => ({
    image: 'haproxy:lts',
    // A main process that starts its worker anew, in the foreground (management guide, `-W`, `-db`).
    command: ['haproxy', '-W', '-db', '-f', `${front}/current`],
    volumes: [
      ...[front, certificates].map(readOnly),
      // The socket by which it is told of pending challenges lies there.
      ...more.map((path) => (path === plan.challenges ? `${path}:${path}` : readOnly(path))),
    ],
    healthcheck: markHealth(plan),
  }),
  contained: {
    test: (front) => ['haproxy', '-c', '-f', `${front}/current`],
    signal: 'USR2',
    stop: 'SIGUSR1',
    ask: (url) => ['sh', '-c', askWords(url)],
  },
};
