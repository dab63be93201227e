import { execFileSync } from 'node:child_process';
import { lstatSync, mkdirSync, readFileSync, readlinkSync, symlinkSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { send } from '../src/adapters/rehearsal/send.ts';
import { startStandIn, type StandIn } from '../src/adapters/rehearsal/stand-in.ts';
import type { Outcome } from '../src/core/rehearsal/sent.ts';
import { ownNginx, type OwnNginx } from './support/own-nginx.ts';
import { freePorts } from './support/ports.ts';
import { folderWith, mileMarker, type Ran } from './support/program.ts';
import { Guide } from './support/guide.ts';

/**
 * Taking over what somebody made by hand: a first map from what nginx serves, the old front judged by it, the move, and the way back.
 */

let services: StandIn[];
const machines: OwnNginx[] = [];
beforeAll(async () => {
  services = await Promise.all(['bird-log', 'nestcam'].map((name) => startStandIn(name)));
});
afterEach(async () => {
  for (const machine of machines.splice(0)) await machine.stop();
});
afterAll(() => services.forEach((one) => one.stop()));

interface Given {
  http: number;
  https: number;
  log: number;
  cam: number;
  /** Lines for a certificate. */
  pair: string;
  folder: string;
}

/** @property main what stands in `http { }` itself @property files others, by path below the machine's folder; a text that begins with `->` is a link */
interface Style {
  what: string;
  main: (given: Given) => string;
  files?: (given: Given) => Record<string, string>;
  replace: string[];
  /** In the map that is made. */
  expected: RegExp[];
  left: RegExp[];
}

const secure = ({ https, pair }: Given): string => `listen 127.0.0.1:${String(https)} ssl;\n    ${pair}`;
const toHttps = (given: Given, names: string): string =>
  `server { listen 127.0.0.1:${String(given.http)}; server_name ${names}; return 301 https://$host:${String(given.https)}$request_uri; }`;

const styles: Style[] = [
  {
    what: 'all in one file',
    main: (given) => `
  server {
    ${secure(given)}
    server_name sightings.saltmarsh.example;
    client_max_body_size 20m;
    location / { proxy_pass http://127.0.0.1:${String(given.log)}; proxy_set_header Host $http_host; }
    location /cam/ { proxy_pass http://localhost:${String(given.cam)}; }
  }
${toHttps(given, 'sightings.saltmarsh.example')}`,
    replace: ['nginx.conf'],
    expected: [/body-limit: 20MiB/, /paths:\n.*\n {6}\/cam\/:\n {8}to: ":\d+"/],
    left: [],
  },
  {
    what: 'sites that are enabled by links',
    main: ({ folder }) => `include ${folder}/machine/sites-enabled/*;`,
    files: (given) => ({
      'sites-available/sightings': `server {
    ${secure(given)}
    server_name sightings.saltmarsh.example;
    location / { proxy_pass http://127.0.0.1:${String(given.log)}; }
}
${toHttps(given, 'sightings.saltmarsh.example')}
`,
      'sites-enabled/sightings': '->../sites-available/sightings',
    }),
    replace: ['sites-enabled/sightings'],
    expected: [/sites-enabled\/sightings:1\n {2}sightings\.saltmarsh\.example:\n {4}to: ":\d+"\n {4}gate: everyone/],
    left: [],
  },
  {
    what: 'includes and variables',
    main: ({ folder }) => `upstream bird_log { server 127.0.0.1:1; }\n  include ${folder}/machine/sites/*.conf;`,
    files: (given) => ({
      'sites/a.conf': `server {
  listen 127.0.0.1:${String(given.https)} ssl;
  server_name sightings.saltmarsh.example;
  set $where 127.0.0.1:${String(given.log)};
  include ${given.folder}/machine/snippets/*.inc;
  location / {
    proxy_pass http://$where;
  }
}
`,
      'snippets/tls.inc': `${given.pair}\n`,
      'snippets/gate.inc': 'allow 127.0.0.0/8;\ndeny all;\n',
    }),
    replace: ['sites/a.conf'],
    expected: [/networks: \["?127\.0\.0\.0\/8"?\]/, /gate: as-sightings-saltmarsh-example/],
    left: [],
  },
  {
    what: 'names by patterns',
    main: (given) => `
  server {
    ${secure(given)}
    server_name sightings.saltmarsh.example;
    location / { proxy_pass http://127.0.0.1:${String(given.log)}; }
  }
  server {
    ${secure(given)}
    server_name ~^cam\\d+\\.saltmarsh\\.example$;
    location / { proxy_pass http://127.0.0.1:${String(given.cam)}; }
  }`,
    replace: ['nginx.conf'],
    expected: [],
    left: [/server_name ~\^cam.*: a pattern of names; write each name as a road/s],
  },
  {
    what: 'redirects by if',
    main: (given) => `
  server {
    listen 127.0.0.1:${String(given.http)};
    ${secure(given)}
    server_name sightings.saltmarsh.example log.saltmarsh.example;
    if ($scheme = http) { return 301 https://$host:${String(given.https)}$request_uri; }
    if ($host = log.saltmarsh.example) { return 301 https://sightings.saltmarsh.example:${String(given.https)}$request_uri; }
    if ($http_user_agent ~* gull) { return 403; }
    location / { proxy_pass http://127.0.0.1:${String(given.log)}; }
  }`,
    replace: ['nginx.conf'],
    expected: [
      /log\.saltmarsh\.example:\n {4}redirect: "https:\/\/sightings\.saltmarsh\.example:\d+"\n {4}permanent: true/,
    ],
    left: [/if \(\$http_user_agent .*: a condition/s],
  },
  {
    what: 'stray defaults and a forgotten copy',
    main: ({ folder }) => `include ${folder}/machine/sites/*.conf;`,
    files: (given) => ({
      'sites/default.conf': `server {
  listen 127.0.0.1:${String(given.http)} default_server;
  listen 127.0.0.1:${String(given.https)} ssl default_server;
  ${given.pair}
  server_name _;
  return 200 "welcome";
}
`,
      'sites/old.conf': `server {
  ${secure(given)}
  server_name sightings.saltmarsh.example;
  location / { proxy_pass http://127.0.0.1:${String(given.log)}; }
}
server {
  ${secure(given)}
  server_name sightings.saltmarsh.example;
  location / { proxy_pass http://127.0.0.1:${String(given.cam)}; }
}
`,
    }),
    replace: ['sites/default.conf', 'sites/old.conf'],
    expected: [],
    left: [/sightings\.saltmarsh\.example: defined twice; nginx takes the first/],
  },
];

test.each(styles)(
  '$what: read off, judged, moved over, and moved back',
  async ({ main, files, replace, expected, left }) => {
    const folder = folderWith();
    const [http = 0, https = 0, mark = 0] = await freePorts(3);
    const [log = 0, cam = 0] = services.map(({ port }) => port);
    const pairFolder = join(folder, 'pair');
    mkdirSync(pairFolder);
    execFileSync(
      'openssl',
      [
        ...['req', '-x509', '-newkey', 'ec', '-pkeyopt', 'ec_paramgen_curve:P-256', '-nodes', '-days', '90'],
        ...[
          '-subj',
          '/CN=reedbed',
          '-addext',
          'subjectAltName=DNS:sightings.saltmarsh.example,DNS:log.saltmarsh.example',
        ],
        ...['-keyout', `${pairFolder}/key.pem`, '-out', `${pairFolder}/certificate.pem`],
      ],
      { stdio: 'ignore' },
    );
    const pair = `ssl_certificate ${pairFolder}/certificate.pem; ssl_certificate_key ${pairFolder}/key.pem;`;
    const given = { http, https, log, cam, pair, folder };
    const machine = ownNginx(folder, '', main(given));
    machines.push(machine);
    for (const [path, text] of Object.entries(files?.(given) ?? {})) {
      const at = join(folder, 'machine', path);
      mkdirSync(join(at, '..'), { recursive: true });
      if (text.startsWith('->')) symlinkSync(text.slice(2), at);
      else writeFileSync(at, text);
    }
    execFileSync('nginx', { env: { ...process.env, ...machine.env }, stdio: 'ignore' });
    const run = (...argv: string[]): Promise<Ran> => mileMarker(argv, folder, machine.env);
    const guide = new Guide('moving-over.md', [
      [join(folder, 'machine'), '/etc/nginx'],
      [folder, '/srv/marsh'],
      [String(https), '443'],
      [String(http), '80'],
      [String(log), '8081'],
      [String(mark), '29180'],
      [/\d{4}-\d\d-\d\d(T[\d:.]+Z)?/, 'DATE'],
    ]);
    const show = (command: string, { said = '' }: Ran): void => guide.add(`mile-marker ${command}`, said);
    const before = replace.map((path) => readFileSync(join(folder, 'machine', path), 'utf8'));
    const byHand = await sightings(https);
    expect(byHand).toMatchObject({ kind: 'answer', status: 200, headers: { 'x-echo': 'bird-log' } });

    const made = await run('init', '--from', 'nginx', '--address', '127.0.0.1');
    show('init --from nginx --address 127.0.0.1', made);
    expect([made.code, made.err]).toEqual([0, expect.stringMatching(/roads?, as nginx serves them now/)]);
    const map = readFileSync(join(folder, 'mile-marker.yaml'), 'utf8');
    guide.add('cat mile-marker.yaml', map);
    for (const one of [/sightings\.saltmarsh\.example:/, ...expected]) expect(map).toMatch(one);
    for (const one of left) expect(made.out.replace(/\s+/g, ' ')).toMatch(one);
    if (left.length === 0) expect(made.err).toContain('Everything was taken over');
    writeFileSync(
      join(folder, 'mile-marker.yaml'),
      map.replace('  proxy: nginx\n', `  proxy: nginx\n  mark: 127.0.0.1:${String(mark)}\n`),
    );

    const imported = await run(
      'certs',
      'import',
      `${pairFolder}/certificate.pem`,
      `${pairFolder}/key.pem`,
      '--as',
      'taken-1',
    );
    show('certs import /srv/marsh/pair/certificate.pem /srv/marsh/pair/key.pem --as taken-1', imported);
    expect(imported.code).toBe(0);
    // The old front, by the new map: it serves what the map says.
    const judged = await run('verify', '--at', `127.0.0.1:${String(https)}`, '--json');
    const { findings } = JSON.parse(judged.out) as { findings: Array<{ rule: string; severity: string }> };
    expect(findings.filter(({ rule }) => /service|wrong-service|nowhere/.test(rule))).toEqual([]);

    show('verify --at 127.0.0.1', await run('verify', '--at', `127.0.0.1:${String(https)}`));
    const blocked = await run('install', '--yes', '--no-rehearsal');
    show('install', blocked);
    expect([blocked.code, blocked.out.replace(/\s+/g, ' ')]).toEqual([
      1,
      expect.stringContaining(`--replace ${join(folder, 'machine', replace[0] ?? '')}`),
    ]);
    const names = replace.flatMap((path) => ['--replace', join('machine', path)]);
    const isGuide = replace[0] === 'sites-enabled/sightings';
    const moved = await run('install', '--yes', ...(isGuide ? [] : ['--no-rehearsal']), ...names);
    show('install --yes --replace /etc/nginx/sites-enabled/sightings', moved);
    expect([moved.code, moved.out + moved.err]).toEqual([0, expect.stringContaining('Edition 0001 is live')]);
    expect(await sightings(https)).toMatchObject({ kind: 'answer', status: 200, headers: { 'x-echo': 'bird-log' } });
    expect((await unknown(https)).kind).toBe('no-handshake');

    const back = await run('undo', 'front', '--yes');
    show('undo front --yes', back);
    expect([back.code, back.err]).toEqual([0, expect.stringContaining('Live now: nothing of this map')]);
    expect(replace.map((path) => readFileSync(join(folder, 'machine', path), 'utf8'))).toEqual(before);
    if (isGuide) {
      guide.holds();
      expect(lstatSync(join(folder, 'machine', replace[0] ?? '')).isSymbolicLink()).toBe(true);
      expect(readlinkSync(join(folder, 'machine', replace[0] ?? ''))).toBe('../sites-available/sightings');
    }
    expect(await sightings(https)).toMatchObject({ kind: 'answer', status: 200, headers: { 'x-echo': 'bird-log' } });
  },
);

const plain = {
  method: 'GET',
  target: '/',
  version: '1.1' as const,
  from: '127.0.0.1',
  headers: [],
  body: null,
  person: 'none',
  overRate: false,
};

function sightings(https: number): Promise<Outcome> {
  const name = 'sightings.saltmarsh.example';
  return send(
    { ...plain, listener: 'https', sni: name, host: [`${name}:${String(https)}`] },
    { address: '127.0.0.1', http: 0, https },
  );
}

function unknown(https: number): Promise<Outcome> {
  const name = 'nobody.example';
  return send({ ...plain, listener: 'https', sni: name, host: [name] }, { address: '127.0.0.1', http: 0, https });
}

test('what shares a server with names of others is not switched off', async () => {
  const folder = folderWith();
  const [http = 0, mark = 0] = await freePorts(2);
  const machine = ownNginx(
    folder,
    '',
    `server { listen 127.0.0.1:${String(http)}; server_name www.saltmarsh.example old.reedbed.example;\n root /srv; }`,
  );
  machines.push(machine);
  writeFileSync(
    join(folder, 'mile-marker.yaml'),
    `domains: [saltmarsh.example]
front: {address: 127.0.0.1, proxy: nginx, ports: {http: ${String(http)}, https: 8443}, mark: "127.0.0.1:${String(mark)}"}
roads: {www: {redirect: "https://www.example.org", gate: everyone}}
`,
  );
  await mileMarker(['certs', 'make'], folder, machine.env);
  const ran = await mileMarker(
    ['install', '--yes', '--no-rehearsal', '--replace', 'machine/nginx.conf'],
    folder,
    machine.env,
  );
  expect([ran.code, ran.err.replace(/\s+/g, ' ')]).toEqual([
    2,
    expect.stringContaining('also answers old.reedbed.example, which the map does not have'),
  ]);
});
