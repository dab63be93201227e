import type { ProxyProgram } from '../program.ts';
import { differs } from './differs.ts';
import { takes } from './takes.ts';
import { haproxyRenderer } from './renderer.ts';
import { serverWords } from '../server-words.ts';

export const haproxy: ProxyProgram = {
  name: 'haproxy',
  title: 'haproxy',
  renderer: haproxyRenderer,
  differs,
  takes,
  limits: {
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
    servesAsRoot: true,
    peopleFiles: 'many',
    readsCertificatesAnew: false,
  },
  pages: {
    isWelcome: () => false,
    isOwnError: ({ body }) => /^<html><body><h1>\d{3} [^<]+<\/h1>\s*[^<]+\s*<\/body><\/html>\s*$/.test(body),
    wantsHttps: () => false,
  },
  errorLog: null,
  dump: null,
  takeOver: null,
  switchOff: null,
  users: ['haproxy'],
  userInImage: null,
  units: ['haproxy'],
  versions: { lowest: '2.6.0', newest: '2.6.12' },
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
    'tls-versions': '`ssl-min-ver TLSv1.2` on the bind line',
    'tls-suites': '`ciphers ECDHE+AESGCM:ECDHE+CHACHA20` on the bind line',
  },
  compose: null,
  contained: null,
};
