import { allCards } from '../../src/core/findings/all-cards.ts';
import { noFiles } from '../../src/core/plan/files-of-map.ts';
import { readDump } from '../../src/core/proxies/nginx/dump.ts';
import { runRules } from '../../src/core/rules/all-rules.ts';
import { inventoryOf, mapOf, plannedOf } from '../support/plan.ts';
import { head, held, now, told, type Case } from '../support/told.ts';

/** A dump as nginx prints it, with an old site, one on other ports, and a file of our own. */
const dump = `nginx: configuration file /etc/nginx/nginx.conf test is successful
# configuration file /etc/nginx/nginx.conf:
events { }
http {
    log_format odd '{ "a;b": "$uri" }'; # server { listen 80; }
    include /etc/nginx/sites-enabled/*;
}

# configuration file /etc/nginx/sites-enabled/old:
server {
    listen 127.0.0.1:80 default_server;
    listen [::]:443 ssl;
    server_name "WWW.saltmarsh.example" .roster.saltmarsh.example "~^x{2}$";
    location / { return 200 "server { server_name tides.saltmarsh.example; }"; }
}
server { server_name tides.saltmarsh.example; listen unix:/run/x; listen 8080; }
# configuration file /srv/front/roads/nestcam.conf:
# Written by Mile Marker for the road nestcam.saltmarsh.example.
server { listen 80; server_name nestcam.saltmarsh.example; }
`;

test('the dump of nginx is read as nginx reads its files, without our own', () => {
  const file = '/etc/nginx/sites-enabled/old';
  expect(readDump(dump, null)).toEqual([
    {
      file,
      line: 1,
      names: ['www.saltmarsh.example', '.roster.saltmarsh.example', '~^x{2}$'],
      listens: [80, 443],
      defaultOn: [80],
      ofAnotherMap: false,
    },
    { file, line: 7, names: ['tides.saltmarsh.example'], listens: [8080], defaultOn: [], ofAnotherMap: false },
  ]);
});

const www = 'www.saltmarsh.example';

test.each<[string, string, Case]>([
  ['a service on loopback', 'roads: {www: "nestcam:3000"}', {}],
  [
    'a redirect to another road',
    'roads: {saltmarsh.example: {redirect: "https://www.saltmarsh.example"}, www: ":80"}',
    {},
  ],
  ['a redirect off the map', 'roads: {www: {redirect: "https://www.example.org"}}', {}],
  ['a redirect to the own name on another port', 'roads: {www: {redirect: "https://www.saltmarsh.example:9000"}}', {}],
  [
    'a chain without a circle',
    'roads: {a: {redirect: "https://b.saltmarsh.example"}, b: {redirect: "https://c.saltmarsh.example"}, c: ":80"}',
    {},
  ],
  [
    'one port number on two addresses',
    'roads: {}',
    {
      compose:
        'services: {a: {ports: ["127.0.0.1:9000:80"]}, b: {ports: ["192.168.64.10:9000:80", "127.0.0.1:9000:80/udp"]}}',
    },
  ],
  [
    'a front on loopback beside a service on another address',
    'domains: [a.example]\nfront: {address: 127.0.0.1}\nroads: {}',
    { compose: 'services: {a: {ports: ["192.168.64.10:80:80"]}}' },
  ],
  [
    'names that are served on other ports, or by our own files',
    'roads: {tides: ":9", nestcam: ":9"}',
    { served: { by: 'nginx', blocks: readDump(dump, null).slice(1), problem: null, refuses: false } },
  ],
  ['a wildcard certificate', 'roads: {www: ":80"}', { certificates: { [www]: held(['*.saltmarsh.example']) } }],
])('silence: %s', (_, text, given) => {
  expect(told(text, given)).toEqual([]);
});

test.each<[string, Case, string]>([
  ['roads: {www: "nestcan:3000"}', {}, 'service-unknown: No service is called `nestcan`. | Did you mean `nestcam`?'],
  [
    'roads: {www: "zz:3000"}',
    { compose: false },
    'service-unknown: `zz` should be a service, but the map names no Compose file and no container engine. | Add `compose: [compose.yaml]` or `engine` to the map, or lead to a port of this machine: `:PORT`.',
  ],
  [
    'roads: {www: "nestcam:3001"}',
    {},
    'port-not-published: 3001 is the outside port of `nestcam`. Inside the container it listens on 3000. | Write `to: nestcam:3000`.',
  ],
  [
    'roads: {www: "nestcam:80"}',
    {},
    'port-not-published: `nestcam` does not publish its port 80. It publishes 3000. | Write one of these after `nestcam:`. Or add under its `ports`: "127.0.0.1:80:80"',
  ],
  [
    'roads: {www: "shut:80"}',
    {},
    'port-not-published: `shut` publishes no port, so the proxy cannot reach its port 80. | Add to the service: ports: ["127.0.0.1:80:80"] (in the middle, any free port of this machine).',
  ],
  [
    'roads: {www: "any:80"}',
    {},
    'port-not-published: `any` lets the engine choose another outside port for 80 at each start. | Write a fixed one under its `ports`: "127.0.0.1:80:80"',
  ],
  [
    'roads: {www: "open:80"}',
    {},
    'service-published-to-everyone: `open` is reachable past the front, on port 8081 of every address of this machine. | Close it: in c line 1 write: "127.0.0.1:8081:80"',
  ],
  [
    'roads: {www: {redirect: "http://www.saltmarsh.example/x"}}',
    {},
    'redirect-to-itself: `www.saltmarsh.example` redirects to http://www.saltmarsh.example/x, which is this road itself. | Write the name that it should lead to, or `to:` with the service.',
  ],
  [
    'roads: {a: {redirect: "https://b.saltmarsh.example"}, b: {redirect: "https://a.saltmarsh.example"}}',
    {},
    'redirect-circle: These roads redirect to each other in a circle: a.saltmarsh.example -> b.saltmarsh.example -> a.saltmarsh.example. | Let one of them lead to a service with `to:`.',
  ],
  [
    'roads: {a: ":9"}',
    {
      certificates: {
        'a.saltmarsh.example': held(['a.saltmarsh.example'], {
          issuer: 'CN=Mile Marker practice authority, made 2026-11-01',
        }),
      },
    },
    'certificate-for-practice: The map has no authority, so these are practice certificates: other people’s browsers warn. | Good for practice. For visitors, add to the map: `acme: {directory: production}`, then: mile-marker certs obtain. Or import your own files: mile-marker certs import FILES',
  ],
  [
    'acme: {directory: production}\nroads: {a: ":9"}',
    {
      certificates: {
        'a.saltmarsh.example': held(['a.saltmarsh.example'], {
          issuer: 'CN=Mile Marker practice authority, made 2026-11-01',
        }),
      },
    },
    'certificate-for-practice: The certificates stored for a.saltmarsh.example are practice ones. The map asks for the authority’s. | Run: mile-marker certs obtain',
  ],
  [
    'acme: {directory: production}\nroads: {a: ":9"}',
    { issuedBy: { 'a.saltmarsh.example': 'staging' } },
    'certificate-for-practice: The certificate stored for a.saltmarsh.example is from staging, but the map says production. | Run: mile-marker certs obtain',
  ],
  [
    'roads: {www: ":80", a: {redirect: "https://ww.saltmarsh.example"}}',
    {},
    'redirect-nowhere: `a.saltmarsh.example` redirects to ww.saltmarsh.example, which is not on the map. | Did you mean www.saltmarsh.example? If another machine serves ww.saltmarsh.example, write on the road: `meant-so: [redirect-nowhere]`',
  ],
  [
    'roads: {a: {redirect: "https://birds.reedbed.example"}}',
    {},
    'redirect-nowhere: `a.saltmarsh.example` redirects to birds.reedbed.example, which is not on the map. | Add a road for birds.reedbed.example, or correct the URL. If another machine serves it, write on the road: `meant-so: [redirect-nowhere]`',
  ],
  [
    'roads: {www: ":80"}',
    { certificates: { [www]: null } },
    'no-certificate: There is no certificate for www.saltmarsh.example. | Run: mile-marker certs make',
  ],
  [
    'roads: {www: ":80"}',
    { certificates: { [www]: held([], { selfMade: true }) } },
    'no-certificate: There is no certificate for www.saltmarsh.example. | Run: mile-marker certs make',
  ],
  [
    'roads: {www: ":80"}',
    { certificates: { [www]: held(['saltmarsh.example']) } },
    'no-certificate: The certificate stored for www.saltmarsh.example does not cover www.saltmarsh.example. | Run: mile-marker certs make',
  ],
  [
    'roads: {www: ":80"}',
    { certificates: { [www]: held([www], { notAfter: now - 1 }) } },
    'no-certificate: The certificate stored for www.saltmarsh.example is not valid now, only from 2026-11-23 to 2026-11-23. | Run: mile-marker certs make',
  ],
  ...(
    [
      [
        { inOrder: false },
        'The certificates in the file of `X` are in the wrong order. | Import it again, which sorts them: mile-marker certs import --as X FILES',
      ],
      [
        { complete: false },
        'The file of `X` has only the certificate, without the intermediate certificate of CN=authority. | Import it again, together with the intermediate certificate: mile-marker certs import --as X FILES',
      ],
      [
        { keyFits: false },
        'The private key of `X` does not belong to its certificate. | Get both again: mile-marker certs make',
      ],
      [
        { keyFits: null },
        'The private key of `X` is missing or cannot be read. | Import it: mile-marker certs import --as X FILES. Or run this as the user who owns it.',
      ],
      [
        { weak: 'it is signed with SHA-1 or MD5' },
        'The certificate of `X` is too weak: it is signed with SHA-1 or MD5. | Get a new one: mile-marker certs make',
      ],
      [
        { forServers: false },
        'The certificate of `X` is not meant for servers. | Get one with the usage "server authentication": mile-marker certs make',
      ],
      [
        { keyMode: 0o644 },
        'The private key of `X` can be read by others (mode 644). | If others use this machine, get a new certificate, too. Close it: chmod 600 /state/certificates/X/current/key.pem',
      ],
    ] as const
  ).map(([change, words]): [string, Case, string] => [
    'roads: {www: ":80"}',
    { certificates: { [www]: held([www], change) } },
    `certificate-faulty: ${words.replace(/\bX\b/g, www)}`,
  ]),
  [
    'certificates: {marsh: {names: saltmarsh.example, wildcard: true}}\nroads: {a.b: {to: ":9", certificate: marsh}}',
    { certificates: { marsh: held(['saltmarsh.example', '*.saltmarsh.example']) } },
    'certificate-not-for-road: `a.b` shows the certificate `marsh`, which covers saltmarsh.example, *.saltmarsh.example, but not a.b.saltmarsh.example. | Add the name under `certificates` to `marsh`, or remove `certificate` from the road.',
  ],
  [
    'roads: {roster: ":9"}',
    {
      served: {
        by: 'nginx',
        blocks: readDump(dump, null).map((block) => ({ ...block, defaultOn: [] })),
        problem: null,
        refuses: false,
      },
    },
    'name-already-served: The installed nginx already serves roster.saltmarsh.example from another file: /etc/nginx/sites-enabled/old, line 1. | Remove those definitions, or the roads from the map. Then: mile-marker install',
  ],
  [
    'roads: {}',
    { served: { by: 'nginx', blocks: readDump(dump, null), problem: null, refuses: false } },
    'default-server-taken: The installed nginx already has a default server on port 80: /etc/nginx/sites-enabled/old, line 1. | Remove it. Mile Marker’s files handle unknown names themselves.',
  ],
  [
    'roads: {🐦: ":9"}',
    {},
    'name-not-issued: `🐦` has a character that no authority issues for: 🐦 | Use letters and digits in the name.',
  ],
  [
    'roads: {ab--c: ":9"}',
    {},
    'name-not-issued: `ab--c` has hyphens in the third and fourth place of ab--c, which is kept for coded names. | Write the name with one hyphen, or with another beginning.',
  ],
  [
    'gates: {hide: {networks: 192.168.5.0/24}}\nroads: {a: {to: ":9", gate: hide}}',
    {},
    'gate-without-home: `hide` lets in 192.168.5.0/24: your home (192.168.64.0/24) and this machine are not in it. | If it is for home, write `gate: home` on its roads, or correct its `networks`.',
  ],
  [
    'roads: {}',
    { served: { by: 'nginx', blocks: [], problem: 'unknown directive', refuses: true } },
    'served-not-known: The installed nginx does not accept its configuration: unknown directive | Fix that first. Until then no reload has any effect, and the server will not start after a reboot.',
  ],
  [
    'roads: {}',
    { served: { by: 'nginx', blocks: [], problem: 'no right', refuses: false } },
    'served-not-known: nginx does not show its configuration: no right | Run once as root, before you reload nginx: sudo mile-marker check',
  ],
  [
    'roads: {}',
    { compose: 'services: {a: {ports: ["8000:80"]}, b: {ports: ["127.0.0.1:8000:3000"]}}' },
    'port-two-owners: `b` and `a` both publish port 8000 of this machine. | Give one of them another outside port: "127.0.0.1:8001:3000"',
  ],
  [
    'roads: {}',
    { compose: 'services: {a: {ports: ["443:8443"]}}' },
    'front-port-taken: `a` publishes port 443 of this machine, which the front needs for https. | Move it to another outside port: "127.0.0.1:8000:8443". Visitors reach it through its road.',
  ],
  [
    'roads: {db: ":5432"}',
    {},
    'not-for-the-web: `db` leads to port 5432, which is usually a database. | Lead to the program that people open in a browser. Or remove the road: mile-marker remove db',
  ],
  [
    'domains: [a.example]\nfront: {address: {interface: eth7}}\nroads: {}',
    { compose: false },
    'front-without-address: The interface `eth7` of this machine has no address, or does not exist. This machine has: lo, eth0, docker0. | Correct the name, or write the public address itself under `front.address`.',
  ],
  [
    'domains: [a.example]\nfront: {address: 203.0.113.24, edge: {networks: 198.51.100.0/24, speaks: http}}\nroads: {b: {redirect: "https://c.example"}}',
    { compose: false },
    'edge-redirect-loop: With `speaks: http`, visitors of b.a.example end in a redirect loop. | Set the edge to speak HTTPS to your front and to check its certificate, then write in the map: speaks: https',
  ],
  [
    'domains: [a.example]\nfront: {address: 203.0.113.24, edge: {networks: [127.0.0.0/8, 192.168.64.9/32, 192.168.0.0/16]}}\ngates: {keepers: {networks: 192.168.64.16/28}}\nroads: {b: {redirect: "https://c.example", gate: keepers}}',
    { compose: false },
    'edge-holds-visitors: `front.edge.networks` has 192.168.0.0/16, and `keepers` lets in 192.168.64.16/28. Direct connections from there are refused. | Write only the addresses that the edge itself connects from, such as 192.168.0.2/32.',
  ],
  [
    'domains: [a.example]\nfront: {address: 203.0.113.24, proxy: nginx}\nroads: {}',
    { compose: false, owner: 'keeper' },
    'map-owner-trusted: nginx starts as root and reads files that `keeper` may change, so `keeper` effectively has root rights here. | If that is you, nothing needs doing. If not, give the map to root:  chown -R root: /site',
  ],
  [
    'domains: [a.example]\nfront: {address: 100.72.3.4}\nroads: {}',
    { compose: false },
    'no-way-in: The address 100.72.3.4 of the front is shared by your provider between many customers. | Ask the provider for a public address of your own (IPv6 often has one already), or put the front on a machine that has one.',
  ],
  [
    'domains: [a.example]\nfront: {address: {interface: eth0}}\nroads: {}',
    { compose: false },
    'no-way-in: The interface `eth0` has the address 192.168.64.10, which exists only inside your network. | Write the public address under `front.address`, or a name that leads to it, and 192.168.64.10 under `front.home`.',
  ],
])('alarm: %s', (text, given, finding) => {
  expect(told(text, given)).toEqual([finding]);
});

test('one cause is told once, with every road it breaks', () => {
  const text = `${head}compose: [c]\nroads: {a: "zz:1", b: "zz:1"}`;
  const planned = plannedOf(text);
  const findings = runRules({
    pages: [],
    notObeyed: [],
    installed: { version: null, modules: null },
    map: mapOf(text),
    ...planned,
    inventory: inventoryOf([]),
    certificates: new Map(),
    served: { by: 'nginx', blocks: [], problem: null, refuses: false },
    sockets: [],
    startsAtBoot: null,
    files: noFiles,
    issuedBy: new Map(),
    isWalled: false,
    former: null,
    room: null,
    owner: null,
    updateKey: null,
    hsts: new Map(),
    now,
  });
  expect(findings.map(({ rule, roads }) => [rule, roads])).toEqual([
    ['no-certificate', ['a.saltmarsh.example', 'b.saltmarsh.example']],
    ['service-unknown', ['a.saltmarsh.example', 'b.saltmarsh.example']],
  ]);
});

test('ids are unique, in kebab case, and every card says all it should', () => {
  const ids = allCards.map(({ id }) => id);
  expect(new Set(ids).size).toBe(ids.length);
  for (const { id, summary, why, source, messages } of allCards) {
    expect(id).toMatch(/^[a-z]+(-[a-z0-9]+)+$/);
    for (const text of [summary, why, source]) expect(text.trim()).not.toBe('');
    expect(Object.keys(messages).length).toBeGreaterThan(0);
  }
});
