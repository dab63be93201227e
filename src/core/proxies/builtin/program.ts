import { checkOrder } from '../../gates/kinds.ts';
import { frontWords } from './words.ts';
import { healthOf, readOnly } from '../compose-parts.ts';
import type { ProxyProgram } from '../program.ts';
import { differs } from './differs.ts';
import { builtinRenderer } from './renderer.ts';

/** The proxy that is part of this program: `mile-marker serve`. */
export const builtin: ProxyProgram = {
  name: 'builtin',
  title: "Mile Marker's own proxy",
  renderer: builtinRenderer,
  differs,
  takes: null,
  configFolders: [],
  limits: {
    checks: checkOrder,
    hashes: ['bcrypt', 'sha256-crypt', 'sha512-crypt', 'apr1', 'sha1', 'salted-sha1'],
    hashesInLoop: false,
    people: 'file',
    pair: 'two-files',
    folders: true,
    logFiles: true,
    pin: true,
    addressInCertificate: true,
    refusesHandshake: true,
    closesSilently: true,
    readsEveryLine: true,
    rate: true,
    rawPorts: ['tcp', 'udp'],
    readsFolder: true,
    readsFiles: false,
    servesAsRoot: true,
    peopleFiles: 'many',
    severalTimes: 'yes',
    readsCertificatesAnew: true,
  },
  pages: {
    isWelcome: () => false,
    isOwnError: ({ status, body }) => status >= 400 && body.startsWith(frontWords),
    wantsHttps: () => false,
  },
  errorLog: null,
  dump: null,
  takeOver: null,
  switchOff: null,
  users: [],
  userInImage: null,
  units: [],
  versions: null,
  modules: [],
  words: {
    goLive: install,
    first: install,
    reload: install,
    start: ({ container }) => (container === null ? 'mile-marker install' : `docker start ${container}`),
    atBoot: () => 'mile-marker install service',
    install: null,
  },
  hints: {},
  compose: ({ plan, mapFile, front, certificates, more, program }) => {
    const { address, port } = plan.front.mark;
    const ask = `fetch('http://${address}:${String(port)}/mark').then((answer) => process.exit(answer.ok ? 0 : 1), () => process.exit(1))`;
    return {
      image: 'node:20-slim',
      command: ['node', '/opt/mile-marker/mile-marker.js', 'serve', '--written', '--map', mapFile],
      init: true,
      volumes: [...[front, certificates, ...more].map(readOnly), `${program}:/opt/mile-marker:ro`],
      healthcheck: healthOf(['CMD', 'node', '-e', ask]),
    };
  },
  contained: {
    test: null,
    signal: 'USR2',
    stop: null,
    ask: (url) => [
      'node',
      '-e',
      `fetch('${url}').then((answer) => answer.text()).then((text) => process.stdout.write(text))`,
    ],
  },
};

function install(): string {
  return 'mile-marker install';
}
