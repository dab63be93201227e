import { execFileSync, spawn, type ChildProcess } from 'node:child_process';
import { once } from 'node:events';
import { chmodSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { delimiter, join } from 'node:path';
import { startStandIn, type StandIn } from '../src/adapters/rehearsal/stand-in.ts';
import { readFiles } from '../src/adapters/proxies/haproxy/read-files.ts';
import { takenMap } from '../src/core/takeover/first-map.ts';
import { takeOver } from '../src/core/proxies/haproxy/take-over.ts';
import { haproxyProgram, httpdProgram } from './support/fronts.ts';
import { freePorts, waitForPort } from './support/ports.ts';
import { folderWith, mileMarker } from './support/program.ts';

/** First maps from what an httpd and a haproxy serve by files made by hand; each is held against the server that still runs. */

interface Given {
  http: number;
  https: number;
  log: number;
  cam: number;
  folder: string;
}

/** @property text of the configuration @property expected in the map that is made @property left of what could not be taken over */
interface Style {
  what: string;
  text: (given: Given) => string;
  files?: (given: Given) => Record<string, string>;
  expected: RegExp[];
  left: RegExp[];
  /** Where the old server does otherwise than the map, which puts it right. */
  wrong?: string[];
}

const pair = ({ folder }: Given): string =>
  `SSLCertificateFile ${folder}/pair.pem\n  SSLCertificateKeyFile ${folder}/pair.pem`;

const byHttpd: Style[] = [
  {
    what: 'a proxy with a prefix, WebSockets and plain HTTP that leads to HTTPS',
    text: (given) => `
<VirtualHost *:${String(given.http)}>
  ServerName sightings.saltmarsh.example
  RewriteEngine on
  RewriteCond %{SERVER_NAME} =sightings.saltmarsh.example
  RewriteRule ^ https://%{SERVER_NAME}:${String(given.https)}%{REQUEST_URI} [END,NE,R=permanent]
</VirtualHost>
<VirtualHost *:${String(given.https)}>
  ServerName https://sightings.saltmarsh.example:443
  SSLEngine on
  ${pair(given)}
  RewriteEngine on
  RewriteCond %{HTTP:Upgrade} =websocket [NC]
  RewriteRule /(.*) ws://127.0.0.1:${String(given.log)}/$1 [P,L]
  ProxyPreserveHost On
  ProxyPass /.well-known/acme-challenge/ !
  ProxyPass "/cam/" "http://localhost:${String(given.cam)}/cam/" timeout=45
  ProxyPass / http://127.0.0.1:${String(given.log)}/ \\
    timeout=90
  ProxyPassReverse / http://127.0.0.1:${String(given.log)}/
  Header always set X-Tide "ebb \\"low\\" 5%%"
  LimitRequestBody 20971520
</VirtualHost>`,
    expected: [
      /sightings\.saltmarsh\.example:\n {4}to: ":\d+"\n {4}gate: everyone\n {4}body-limit: 20971520B\n {4}timeout: 90s/,
      /X-Tide: "ebb \\"low\\" 5%"/,
      /paths:\n.*\n {6}\/cam\/:\n {8}to: ":\d+"/,
    ],
    left: [],
    // It answers 404 to an encoded slash.
    wrong: ['redirect-wrong: sightings.saltmarsh.example'],
  },
  {
    what: 'gates of both ages, macros, a group of servers and names that lead to another',
    text: (given) => `
Define MARSH saltmarsh.example
<IfModule !mod_nothing.c>
<Macro Site $name $port>
<VirtualHost 127.0.0.1:${String(given.https)}>
  ServerName $name.\${MARSH}
  SSLEngine on
  ${pair(given)}
  ProxyPass / http://127.0.0.1:$port/
</VirtualHost>
</Macro>
Use Site sightings ${String(given.log)}
Use Site cam ${String(given.cam)}
</IfModule>
<IfDefine NOTHING>
<VirtualHost *:${String(given.https)}>
  ServerName nothing.saltmarsh.example
</VirtualHost>
</IfDefine>
<VirtualHost 127.0.0.1:${String(given.https)}>
  ServerName roster.saltmarsh.example
  ServerAlias log.saltmarsh.example gull?.saltmarsh.example
  SSLEngine on
  ${pair(given)}
  RewriteEngine on
  RewriteCond %{HTTP_HOST} ^log\\. [NC]
  RewriteRule ^/(.*)$ https://sightings.saltmarsh.example:${String(given.https)}/$1 [R=301,L]
  RewriteCond %{HTTP_USER_AGENT} gull
  RewriteRule ^ - [F]
  <Proxy balancer://terns>
    BalancerMember http://127.0.0.1:${String(given.cam)}
    BalancerMember http://127.0.0.1:1 status=+H
  </Proxy>
  ProxyPass / balancer://terns/
  <Location />
    AuthType Basic
    AuthName "wardens"
    AuthUserFile ${given.folder}/w
    <RequireAny>
      Require ip 192.0.2 127.0.0.0/255.0.0.0
      Require valid-user
    </RequireAny>
  </Location>
</VirtualHost>
<VirtualHost 127.0.0.1:${String(given.https)}>
  ServerName tides.saltmarsh.example
  SSLEngine on
  ${pair(given)}
  DocumentRoot ${given.folder}/tides
  <Directory ${given.folder}/tides>
    Require all granted
    Order deny,allow
    Deny from all
    Allow from 127.0.0.1
  </Directory>
  <Location /open>
    Require all granted
    Satisfy any
  </Location>
  ErrorDocument 404 /lost.html
</VirtualHost>
<VirtualHost 127.0.0.1:${String(given.https)}>
  ServerName owls.saltmarsh.example
  SSLEngine on
  ${pair(given)}
  Redirect permanent / https://www.example.org/
</VirtualHost>
<VirtualHost 127.0.0.1:${String(given.https)}>
  ServerName hides.saltmarsh.example
  SSLEngine on
  ${pair(given)}
  ProxyPass / http://127.0.0.1:${String(given.cam)}/
  <Location /keys>
    Require user edda
  </Location>
</VirtualHost>`,
    files: () => ({ w: 'edda:$2y$04$aaaaaaaaaaaaaaaaaaaaaa\n', 'tides/index.html': 'high water' }),
    expected: [
      /roster\.saltmarsh\.example:\n {4}to: ":\d+"\n {4}gate: as-roster-saltmarsh-example/,
      /as-roster-saltmarsh-example:\n {4}networks: \["?192\.0\.2\.0\/24"?, "?127\.0\.0\.0\/8"?\]\n {4}people: \/.*\/w\n {4}need: any/,
      /log\.saltmarsh\.example:\n {4}redirect: "https:\/\/sightings\.saltmarsh\.example:\d+"\n {4}permanent: true/,
      /cam\.saltmarsh\.example:\n {4}to: ":\d+"/,
      /tides\.saltmarsh\.example:\n {4}folder: \/.*\/tides\n {4}gate: as-tides/,
      /except: \[\/open\]/,
      /owls\.saltmarsh\.example:\n {4}redirect: "https:\/\/www\.example\.org"\n {4}permanent: true/,
      /# Its gate was on \/keys only.*\n {2}hides\.saltmarsh\.example:\n {4}to: ":\d+"\n {4}gate: home/,
    ],
    left: [
      /the name gull\?\.saltmarsh\.example: a pattern of names/,
      /RewriteRule \^ -: does something that a map cannot describe/,
      /balancer:\/\/terns: spreads over several servers/,
      /ErrorDocument: pages for single errors/,
      /Require user edda: lets in visitors that a map cannot describe/,
    ],
    // It answers 404 to an encoded slash.
    wrong: ['road-redirect-wrong: log.saltmarsh.example', 'road-redirect-wrong: owls.saltmarsh.example'],
  },
];

const defaults = `defaults
  mode http
  timeout client 10s
  timeout server 10s
  timeout connect 2s
`;

const byHaproxy: Style[] = [
  {
    what: 'names by ACLs, a prefix, a gate by network, and plain HTTP that leads to HTTPS',
    text: (given) => `${defaults}
frontend plain
  bind 127.0.0.1:${String(given.http)}
  redirect scheme https code 301 unless { path_beg /.well-known/acme-challenge/ }
frontend web
  bind 127.0.0.1:${String(given.https)} ssl crt ${given.folder}/pair.pem alpn h2,http/1.1
  acl log hdr(host) -i sightings.saltmarsh.example sightings.saltmarsh.example:${String(given.https)}
  acl cam path_beg /cam/
  acl near src 127.0.0.0/8 192.0.2.0/24
  acl roster req.hdr(host),field(1,:),lower roster.saltmarsh.example
  http-request redirect prefix https://sightings.saltmarsh.example:${String(given.https)} code 308 if { hdr(host) -m beg log.saltmarsh.example }
  http-request deny if roster !near
  http-request set-header X-Forwarded-Proto https
  http-response set-header X-Tide "ebb and flow"
  use_backend cam if log cam # the camera
  use_backend log if log
  use_backend gulls if { req.hdr(user-agent) -m sub gull }
  use_backend people if roster
backend log
  server one 127.0.0.1:${String(given.log)} check
  timeout server 90s
backend cam
  server one localhost:${String(given.cam)}
backend people
  server one 127.0.0.1:${String(given.cam)}
  server two 127.0.0.1:1 backup
backend gulls
  server one 127.0.0.1:1
`,
    expected: [
      /sightings\.saltmarsh\.example:\n {4}to: ":\d+"\n {4}gate: everyone\n {4}timeout: 90s\n {4}response-headers:\n {6}X-Tide: "ebb and flow"\n {4}paths:\n.*\n {6}\/cam\/:/,
      /log\.saltmarsh\.example:\n {4}redirect: "https:\/\/sightings\.saltmarsh\.example:\d+"\n {4}permanent: true/,
      /as-roster-saltmarsh-example:\n {4}networks: \["?127\.0\.0\.0\/8"?, "?192\.0\.2\.0\/24"?\]/,
    ],
    left: [/backend people: spreads over several servers/, /use_backend gulls .*: depends on a condition/],
    // Plain HTTP keeps the visitor's port, which is not that of HTTPS here.
    wrong: ['redirect-wrong: log.saltmarsh.example, roster.saltmarsh.example, sightings.saltmarsh.example'],
  },
  {
    what: 'a map of names, people, and what a map cannot say',
    text: (given) => `${defaults}
userlist wardens
  user edda insecure-password kittiwake
frontend web
  bind 127.0.0.1:${String(given.https)} ssl crt ${given.folder}/pair.pem
  http-request deny if { path -m beg /.git }
  http-request auth realm wardens if { hdr(host),field(1,:) cam.saltmarsh.example } !{ http_auth(wardens) }
  use_backend %[req.hdr(host),field(1,:),lower,map(${given.folder}/names.map,nobody)]
backend log
  server one 127.0.0.1:${String(given.log)}
backend cam
  http-request set-path /cam%[path]
  server one 127.0.0.1:${String(given.cam)}
backend nobody
  http-request deny
listen bytes
  mode tcp
  bind 127.0.0.1:${String(given.http)}
  server one 127.0.0.1:1
`,
    files: () => ({ 'names.map': '# names\nsightings.saltmarsh.example log\ncam.saltmarsh.example cam\n' }),
    expected: [
      /sightings\.saltmarsh\.example:\n {4}to: ":\d+"\n {4}gate: everyone/,
      /cam\.saltmarsh\.example:\n {4}to: ":\d+"\n {4}gate: home/,
    ],
    left: [
      /http-request auth .*: lets in the people of the list wardens, which stands in this file/,
      /http-request deny if .*: keeps some visitors out/,
      /set-path .*: rewrites paths/,
      /listen bytes: passes bytes on; write it under `ports`/,
    ],
    // It asks for a password, which `home` does not.
    wrong: ['gate-refused-here: cam.saltmarsh.example'],
  },
];

let services: StandIn[];
const children: ChildProcess[] = [];
beforeAll(async () => {
  services = await Promise.all(['bird-log', 'nestcam'].map((name) => startStandIn(name)));
});
afterEach(async () => {
  for (const child of children.splice(0)) {
    child.kill('SIGTERM');
    await once(child, 'exit');
  }
});
afterAll(() => services.forEach((one) => one.stop()));

async function prepared({ files }: Style): Promise<Given> {
  const folder = folderWith();
  const [http = 0, https = 0] = await freePorts(2);
  const [log = 0, cam = 0] = services.map(({ port }) => port);
  const names = ['sightings', 'log', 'cam', 'roster', 'tides', 'owls', 'hides'].map(
    (one) => `DNS:${one}.saltmarsh.example`,
  );
  const argv = ['req', '-x509', '-newkey', 'ec', '-pkeyopt', 'ec_paramgen_curve:P-256', '-nodes', '-days', '90'];
  const about = ['-subj', '/CN=reedbed', '-addext', `subjectAltName=${names.join(',')}`];
  execFileSync('openssl', [...argv, ...about, '-keyout', `${folder}/key`, '-out', `${folder}/cert`], {
    stdio: 'ignore',
  });
  writeFileSync(
    join(folder, 'pair.pem'),
    readFileSync(`${folder}/cert`, 'utf8') + readFileSync(`${folder}/key`, 'utf8'),
  );
  chmodSync(folder, 0o755);
  const given = { http, https, log, cam, folder };
  for (const [path, text] of Object.entries(files?.(given) ?? {})) {
    mkdirSync(join(folder, path, '..'), { recursive: true });
    writeFileSync(join(folder, path), text);
  }
  return given;
}

/** What the old server does is what the map says, as far as it says anything. */
async function held({ folder, https }: Given): Promise<unknown> {
  const { out } = await mileMarker(['verify', '--at', `127.0.0.1:${String(https)}`, '--json'], folder);
  const { findings } = JSON.parse(out) as { findings: Array<{ rule: string; roads: string[]; message: string }> };
  return findings
    .filter(({ rule }) => /service|nowhere|redirect|gate|folder/.test(rule))
    .map(({ rule, roads }) => `${rule}: ${roads.join(', ')}`);
}

test.each(byHttpd)('httpd: $what', async (style) => {
  const given = await prepared(style);
  const { folder, http, https } = given;
  const modules = [
    'mpm_event',
    'authz_core',
    'authz_host',
    'authz_user',
    'auth_basic',
    'authn_core',
    'authn_file',
    'access_compat',
  ];
  const more = [
    'ssl',
    'socache_shmcb',
    'rewrite',
    'alias',
    'dir',
    'headers',
    'proxy',
    'proxy_http',
    'proxy_wstunnel',
    'proxy_balancer',
    'slotmem_shm',
    'lbmethod_byrequests',
    'macro',
  ];
  const config = join(folder, 'httpd.conf');
  writeFileSync(
    config,
    [
      `ServerRoot ${folder}\nPidFile ${folder}/pid\nErrorLog ${folder}/log\nServerName reedbed.saltmarsh.example`,
      ...[...modules, ...more].map((one) => `LoadModule ${one}_module /usr/lib/apache2/modules/mod_${one}.so`),
      ...[http, https].map((port) => `Listen 127.0.0.1:${String(port)}`),
      '<Directory />\n  Require all denied\n</Directory>\nUser www-data\nInclude sites/*.conf\n',
    ].join('\n'),
  );
  mkdirSync(join(folder, 'sites'));
  writeFileSync(join(folder, 'sites/marsh.conf'), style.text(given));
  mkdirSync(join(folder, 'bin'));
  writeFileSync(join(folder, 'bin/apache2'), `#!/bin/sh\nexec ${httpdProgram()} -f ${config} "$@"\n`, { mode: 0o755 });
  const child = spawn(join(folder, 'bin/apache2'), ['-DFOREGROUND'], { stdio: 'ignore' });
  children.push(child);
  await waitForPort(https);

  const env = { PATH: `${folder}/bin${delimiter}${process.env['PATH'] ?? ''}` };
  const made = await mileMarker(['init', '--from', 'httpd', '--address', '127.0.0.1'], folder, env);
  expect([made.code, made.err]).toEqual([0, expect.stringMatching(/roads?, as httpd serves them now/)]);
  const map = readFileSync(join(folder, 'mile-marker.yaml'), 'utf8');
  for (const one of style.expected) expect(map).toMatch(one);
  const said = made.out.replace(/\s+/g, ' ');
  for (const one of style.left) expect(said).toMatch(one);
  if (style.left.length === 0) expect(made.err).toContain('Everything was taken over');
  expect(await held(given)).toEqual(style.wrong ?? []);
});

test.each(byHaproxy)('haproxy: $what', async (style) => {
  const given = await prepared(style);
  const { folder, https } = given;
  const config = join(folder, 'haproxy.cfg');
  writeFileSync(config, style.text(given));
  children.push(spawn(haproxyProgram(), ['-db', '-f', config], { stdio: 'ignore' }));
  await waitForPort(https);
  const taken = takeOver(await readFiles([config]));
  const map = takenMap({ taken, domain: null, addresses: ['127.0.0.1'], proxy: 'haproxy' });
  writeFileSync(join(folder, 'mile-marker.yaml'), map);
  for (const one of style.expected) expect(map).toMatch(one);
  const said = taken.left.map(({ what, why }) => `${what}: ${why}`);
  for (const one of style.left) expect(said).toContainEqual(expect.stringMatching(one));
  expect(said).toHaveLength(style.left.length);
  expect(await held(given)).toEqual(style.wrong ?? []);
});
