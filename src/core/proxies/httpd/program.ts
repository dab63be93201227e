import { doable } from '../../gates/kinds.ts';
import { requirements } from './gate-lines.ts';
import { headerOf, titleOf } from '../../legs/answer.ts';
import { differs } from './differs.ts';
import { readDump } from './dump.ts';
import { httpdErrorLog } from './error-log.ts';
import { httpdRenderer, wholeFile } from './renderer.ts';
import { takeOver } from './take-over.ts';
import { switchOff } from './switch-off.ts';
import { takes } from './takes.ts';
import { askWords, markHealth, readOnly } from '../compose-parts.ts';
import type { ProxyProgram } from '../program.ts';
import { isSwitchedOff } from '../switched-off.ts';
import { serverWords } from '../server-words.ts';

/** Without its signature, which is off unless somebody switched it on. */
const ownError =
  /^<!DOCTYPE HTML PUBLIC "[^"]+"(?: "[^"]+")?>\s*<html><head>\s*<title>\d{3} [^<]+<\/title>\s*<\/head><body>\s*<h1>/;

/** Apache httpd.  */
export const httpd: ProxyProgram = {
  name: 'httpd',
  title: 'httpd',
  renderer: httpdRenderer,
  differs,
  takes,
  configFolders: ['/etc/apache2', '/etc/httpd', '/usr/local/apache2/conf'],
  limits: {
    checks: doable(requirements),
    hashes: ['bcrypt', 'sha256-crypt', 'sha512-crypt', 'yescrypt', 'apr1', 'md5-crypt', 'sha1', 'des'],
    hashesInLoop: false,
    people: 'file',
    pair: 'two-files',
    folders: true,
    logFiles: true,
    pin: false,
    addressInCertificate: false,
    refusesHandshake: true,
    closesSilently: false,
    readsEveryLine: true,
    rate: false,
    rawPorts: [],
    readsFolder: false,
    readsFiles: true,
    servesAsRoot: false,
    peopleFiles: 'one',
    severalTimes: 'no',
    readsCertificatesAnew: false,
  },
  pages: {
    isWelcome: ({ body }) =>
      /^(apache2? .*default page|test page for .*|it works!?)$/i.test(titleOf(body) ?? '') ||
      /<h1>It works!<\/h1>/i.test(body),
    isOwnError: (answer) =>
      /^Apache/.test(headerOf(answer, 'server') ?? '') &&
      (/<address>Apache/.test(answer.body) || ownError.test(answer.body)),
    wantsHttps: ({ body }) => /speaking plain HTTP to an SSL/i.test(body),
  },
  errorLog: httpdErrorLog,
  dump: readDump,
  takeOver,
  switchOff: { make: switchOff, isMade: isSwitchedOff },
  users: ['www-data', 'apache', 'http'],
  userInImage: 'www-data',
  units: ['apache2', 'httpd'],
  versions: { lowest: '2.4.62', newest: '2.4.71' },
  modules: [],
  words: serverWords({
    unit: 'apache2',
    package: 'apache2',
    reload: 'apache2ctl -t && apache2ctl graceful',
    signal: 'USR1',
    installs: true,
  }),
  hints: {
    'visitor-address': '`RequestHeader unset X-Forwarded-For early`, and mod_proxy writes its own',
    'quiet-live': '`ProxyTimeout 3600`',
    buffering: '`ProxyPass` with `flushpackets=on`, and no `mod_deflate` or `mod_cache` for it',
    'keep-host': '`%{HTTP_HOST}` in a `RewriteRule` is the name that was asked for',
    'pass-host': '`ProxyPreserveHost On`',
    'pass-path': 'the same path on both sides of `ProxyPass`, both with a slash at the end, or both without',
    'escaped-slashes': '`AllowEncodedSlashes NoDecode` in the virtual host, and the target out of %{THE_REQUEST}',
    'tls-versions': '`SSLProtocol -all +TLSv1.2 +TLSv1.3`',
    'tls-suites': '`SSLCipherSuite ECDHE+AESGCM:ECDHE+CHACHA20`',
    'default-site': 'on Debian: a2dissite 000-default',
  },
  compose: ({ plan, front, certificates, more, owner }) => ({
    // Its workers are another user's, whom it has to end.
    ...(owner.uid === 0 ? { cap_add: ['CHOWN', 'KILL', 'SETGID', 'SETUID'] } : {}),
    image: 'httpd:2.4',
    command: ['httpd', '-f', `${front}/current/${wholeFile}`, '-DFOREGROUND'],
    volumes: [front, certificates, ...more].map(readOnly),
    healthcheck: markHealth(plan),
  }),
  contained: {
    test: (front) => ['httpd', '-t', '-f', `${front}/current/${wholeFile}`],
    signal: 'USR1',
    stop: 'SIGWINCH',
    ask: (url) => ['sh', '-c', askWords(url)],
  },
};
