import { hstsChanges, rememberedUntil, type HstsEntry } from '../../src/core/hsts.ts';
import type { PeopleFile } from '../../src/core/plan/files-of-map.ts';
import { hashKind } from '../../src/core/people/hash-kinds.ts';
import { parsePasswordFile, withPerson } from '../../src/core/people/password-file.ts';
import { now, told, type Case } from '../support/told.ts';
import fc from 'fast-check';

const good = '$2y$07$abcdefghijklmnopqrstuuabcdefghijklmnopqrstuvwxyzABCDE';
const people = (
  text: string,
  change: Partial<Extract<PeopleFile, { state: 'read' }>> = {},
  file = '/site/w',
): Case => ({
  files: {
    people: new Map([[file, { state: 'read', file: parsePasswordFile(text), mode: 0o600, bars: [], ...change }]]),
    proxyUser: 'www-data',
  },
});
const wardens = 'gates: {wardens: {people: w}}\nroads: {a: {to: ":1", gate: wardens}}';
const onNginx = (text: string): string =>
  `domains: [saltmarsh.example]\nfront: {address: 203.0.113.24, proxy: nginx}\n${text}`;
const onHttpd = (text: string): string => onNginx(text).replace('proxy: nginx', 'proxy: httpd');
const onHaproxy = (text: string): string => onNginx(text).replace('proxy: nginx', 'proxy: haproxy');
const inContainer = (text: string, proxy: string): string =>
  `domains: [saltmarsh.example]\nfront: {address: 203.0.113.24, proxy: ${proxy}, container: zz}\n${text.replace(':1', 'http://192.168.64.9')}`;
const frontOnly = 'services: {zz: {restart: always, ports: ["80:80", "443:443"]}}';
const networks = (list: string, more = ''): string =>
  `gates: {house: {networks: [${list}]${more}}}\nroads: {a: {to: ":1", gate: house}}`;
const file = (state: 'missing' | 'no-folder'): Case => ({ files: { folders: new Map([['/site/site', { state }]]) } });
const folder = 'roads: {a: {folder: ./site, gate: everyone}}';
const real = 'acme: {directory: production}\n';

test.each<[string, string, Case]>([
  ['a sound gate of people', wardens, people(`edda:${good}\n# a note\n`)],
  [
    'a rented server on which nothing is for home',
    'roads: {a: {to: ":1", gate: everyone}}',
    { host: { gateway: null, addresses: [] } },
  ],
  ['networks at home', networks('192.168.64.16/28'), {}],
  [
    'a service that a gate asks, with an open road of its own',
    'gates: {in: {asks: ":9091/check"}}\nroads: {a: {to: ":1", gate: in}, desk: {to: ":9091", gate: everyone}}',
    {},
  ],
  ['a gate with exceptions', networks('192.168.64.16/28', ', except: [/hooks/]'), {}],
  [
    'two gates that both ask',
    'gates: {x: {networks: 192.168.64.128/25}, w: {people: w}}\nroads: {a: {to: ":1", gate: [x, w]}}',
    people(`e:${good}`),
  ],
  ['a console at home', 'roads: {admin: ":9090"}', {}],
  [
    'a console that is meant so',
    'roads: {admin: {to: ":9090", gate: everyone, meant-so: console-open-to-everyone}}',
    {},
  ],
  ['hsts with real certificates', `${real}roads: {a: {to: ":1", hsts: on}}`, {}],
  [
    'hsts forgotten in time',
    `${real}roads: {a: {to: ":1", plain: true, hsts: forget, meant-so: road-in-clear-text}}`,
    { hsts: { 'a.saltmarsh.example': now + 1e9 } },
  ],
  ['hsts that is over', 'roads: {a: ":1"}', { hsts: { 'a.saltmarsh.example': now - 1 } }],
  [
    'cors that fits',
    'roads: {a: {to: ":1", methods: [GET, PUT, OPTIONS], cors: {origins: "https://b.example", methods: PUT}}}',
    {},
  ],
  [
    'a folder with its page',
    folder,
    { files: { folders: new Map([['/site/site', { state: 'there', hasIndex: true, bars: [] }]]) } },
  ],
  [
    'a proven service',
    'roads: {a: {to: "https://192.168.64.9:8443", upstream-ca: ca.pem}}',
    { files: { authorities: new Map([['/site/ca.pem', null]]) } },
  ],
  ['a part of a road', 'roads: {a: {to: ":1", paths: {/api: "nestcam:3000"}}}', {}],
])('silence: %s', (_, text, given) => {
  expect(told(text, given)).toEqual([]);
});

const rented: Case['host'] = {
  gateway: '203.0.113.1',
  addresses: [{ interface: 'eth0', address: '203.0.113.24', network: '203.0.113.0/24', ofContainers: false }],
};

test.each<[string, Case, string]>([
  [
    'roads: {a: ":1"}',
    { host: rented },
    'home-is-empty: `home` is only this machine here, so nobody can open a.saltmarsh.example.',
  ],
  [
    `domains: [saltmarsh.example]\nfront: {address: 203.0.113.24, home: [192.168.64.10], listen: {http: 8080, https: 8443}}\nroads: {a: ":1"}`,
    {},
    'home-other-port: At home the names lead to 192.168.64.10, where the front listens on port 8443. A browser there asks port 443.',
  ],
  [
    inContainer(wardens, 'builtin'),
    { ...people(`edda:${good}\n`), compose: frontOnly },
    'people-file-faulty: /site/w is beside the map, in a folder with keys. A front in a container sees this one file, but not the one that replaces it.',
  ],
  [
    inContainer(wardens.replace('people: w', 'people: people/w'), 'nginx'),
    { ...people(`edda:${good}\n`, {}, '/site/people/w'), compose: frontOnly },
    'people-file-faulty: The front runs in a container, where nginx reads /site/people/w as a user of its own. With mode 600 only its owner may, and every password is refused.',
  ],
  [
    wardens,
    { files: { people: new Map([['/site/w', { state: 'missing' }]]) } },
    'people-file-faulty: The gate `wardens` has people, but their file does not exist: /site/w | Add somebody: mile-marker people add NAME --gate wardens',
  ],
  [
    wardens,
    people('# nobody yet\n'),
    'people-file-faulty: /site/w is empty, so the gate `wardens` locks everyone out.',
  ],
  [
    wardens,
    people(`edda:${good}\n`, { mode: 0o644 }),
    'people-file-faulty: /site/w can be read by others on this machine (mode 644). | Close it: chgrp "$(id -gn www-data)" /site/w && chmod 640 /site/w',
  ],
  [
    onNginx(wardens),
    people(`edda:${good}\n`, { bars: ['/site'] }),
    'people-file-faulty: nginx (user www-data) cannot read /site/w because of: /site.',
  ],
  [wardens, people(`edda:${good}\njoost\n`), 'people-file-faulty: /site/w line 2 is ignored: it has no colon.'],
  [
    wardens,
    people(`edda:${good}\nedda:${good}\n`),
    'people-file-faulty: edda is twice in /site/w. The first line counts, and line 2 does nothing.',
  ],
  [
    wardens,
    people(`edda:$y$j9T$abc$${'x'.repeat(43)}\n`),
    "people-file-faulty: Mile Marker's own proxy cannot check the password of edda in /site/w: its hash is yescrypt.",
  ],
  [wardens, people(`edda:$$2y$$07$$${good.slice(7)}\n`), 'its hash is no known kind.'],
  [
    wardens,
    people('edda:{SHA}fEqNCco3Yq9h5ZUglD3CZJT4lBs=\n'),
    'people-file-faulty: The hash of edda in /site/w is weak (sha1): anyone who gets the file can crack the password quickly.',
  ],
  [
    onNginx(wardens),
    people(`edda:${good.replace('$07$', '$12$')}\n`),
    'people-file-faulty: Each request of edda blocks nginx for about 307 ms',
  ],
  [
    networks('0.0.0.0/0'),
    {},
    'gate-open-to-everybody: The gate `house` lets in 0.0.0.0/0, which is the whole internet.',
  ],
  [
    'gates: {h: {people: w, networks: "::/0", need: any}}\nroads: {a: {to: ":1", gate: h}}',
    people(`e:${good}`),
    'gate-open-to-everybody: The gate `h` lets in ::/0 without a password',
  ],
  [networks('192.168.64.16/28', ', except: /'), {}, 'gate-open-to-everybody: The gate `house` excepts `/`'],
  [
    'roads: {a: {to: ":1", gate: [everyone, home]}}',
    {},
    'gate-without-effect: `a` has the gate `everyone` together with `home`',
  ],
  [
    'gates: {wide: {networks: 192.168.0.0/17}, small: {networks: 192.168.64.128/25}}\nroads: {a: {to: ":1", gate: [wide, small]}}',
    { host: { gateway: null } },
    'gate-without-effect: `a.saltmarsh.example` has the gates `wide` and `small`. `small` is stricter, so `wide` has no effect. | Keep only `small`.',
  ],
  [
    'gates: {idle: {networks: 192.168.64.128/25}}\nroads: {}',
    {},
    'gate-without-effect: No road and no raw port has the gate `idle`.',
  ],
  [
    'gates: {x: {networks: 192.0.2.0/25}, y: {networks: 192.0.2.128/25}}\nroads: {a: {to: ":1", gate: [x, y]}}',
    {},
    'gate-nobody-passes: `a.saltmarsh.example` has the gates `x` and `y`',
  ],
  [
    networks('192.168.64.0/24'),
    {},
    'gate-includes-router: `house` lets in 192.168.64.1, the default gateway of this machine.',
  ],
  [
    networks('172.16.0.0/12'),
    {},
    'gate-includes-container-network: `house` lets in 172.16.0.0/12, and 172.17.0.0/16 of it is a container network.',
  ],
  [
    `domains: [saltmarsh.example]\nfront: {address: "2001:db8:40::24"}\n${networks('192.168.64.0/28')}`,
    {
      host: {
        gateway: null,
        addresses: [
          { interface: 'eth0', address: '192.168.64.10', network: '192.168.64.0/24', ofContainers: false },
          { interface: 'eth0', address: '2001:db8:40::24', network: '2001:db8:40::/64', ofContainers: false },
        ],
      },
    },
    'gate-misses-home-ipv6: `house` lets in 192.168.64.0/24, but not 2001:db8:40::/64, which is the same network over IPv6.',
  ],
  [
    'roads: {cam: {to: ":9090", gate: everyone}}',
    {},
    'console-open-to-everyone: `cam` is open to everyone, and its port 9090 is usually a console or metrics.',
  ],
  [
    'roads: {marsh-admin: {to: ":1", gate: everyone}}',
    {},
    'console-open-to-everyone: `marsh-admin` is open to everyone, and it is called `marsh-admin`.',
  ],
  [
    `${real}roads: {a: {to: ":1", plain: true, hsts: on, meant-so: road-in-clear-text}}`,
    {},
    'hsts-locks-out: `a` is also served on plain HTTP, but `hsts` forbids browsers to use it.',
  ],
  [
    `domains: [saltmarsh.example]\nfront: {address: 203.0.113.24, ports: {https: 8443}}\n${real}roads: {a: {to: ":1", hsts: 30d}}`,
    {},
    'hsts-locks-out: `a` sends `hsts`, but visitors see HTTPS on port 8443. Browsers would try http://a.saltmarsh.example as https://a.saltmarsh.example, where this front is not.',
  ],
  [
    'roads: {a: {to: ":1", hsts: on}}',
    {},
    'hsts-locks-out: `a` sends `hsts`, but browsers do not trust its certificate, and nobody could click the warning away.',
  ],
  [
    'roads: {a: ":1"}',
    { hsts: { 'a.saltmarsh.example': now + 86_400_000 } },
    'hsts-remembered: Browsers that visited a.saltmarsh.example may require HTTPS with a valid certificate until 2026-11-24, but the road now shows a certificate for practice.',
  ],
  [
    'roads: {a: {to: ":1", methods: GET, cors: {origins: "*"}}}',
    {},
    'road-contradicts-itself: `a.saltmarsh.example` has `cors`, but its `methods` leave out OPTIONS, with which browsers ask first.',
  ],
  [
    'roads: {a: {to: ":1", methods: [GET, OPTIONS], cors: {origins: "*", methods: [PUT]}}}',
    {},
    'road-contradicts-itself: `a.saltmarsh.example` allows PUT to other origins by `cors`, but its `methods` refuse them.',
  ],
  [
    wardens.replace('gate: wardens', 'gate: wardens, cors: {origins: "*"}'),
    people(`e:${good}`),
    'asks for a password, but its `cors` does not allow pages to send one.',
  ],
  [
    folder.replace('gate', 'methods: [GET, PUT], gate'),
    {},
    'road-contradicts-itself: `a.saltmarsh.example` shows a folder, which accepts only GET and HEAD, but its `methods` name PUT.',
  ],
  ['roads: {a: {to: ":1", methods: POST}}', {}, 'road-contradicts-itself: `a.saltmarsh.example` refuses GET'],
  [
    'roads: {a: {to: "https://192.168.64.9", upstream-insecure: true}}',
    {},
    'upstream-unproven: `a.saltmarsh.example` accepts any certificate at 192.168.64.9:443 (`upstream-insecure`).',
  ],
  [
    'roads: {a: {to: "https://192.168.64.9", upstream-ca: x.pem}}',
    { files: { authorities: new Map([['/site/x.pem', 'it does not exist']]) } },
    'upstream-unproven: `a.saltmarsh.example` checks its service against /site/x.pem, which cannot be used: it does not exist.',
  ],
  [
    onNginx('roads: {a: {to: "https://b.example", upstream-pin: AAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAA=}}'),
    {},
    'upstream-unproven: nginx cannot check `upstream-pin` of `a.saltmarsh.example`, and answers 502.',
  ],
  [
    onNginx('roads: {a: {to: "https://192.168.64.9"}}'),
    {},
    'upstream-unproven: `a.saltmarsh.example` leads to an https service by its address',
  ],
  [folder, file('missing'), 'folder-not-shown: `a.saltmarsh.example` shows /site/site, which does not exist.'],
  [folder, file('no-folder'), 'folder-not-shown: `a.saltmarsh.example` shows /site/site, which is not a folder.'],
  [
    onNginx(folder),
    {
      files: {
        proxyUser: 'www-data',
        folders: new Map([['/site/site', { state: 'there', hasIndex: true, bars: ['/site'] }]]),
      },
    },
    'folder-not-shown: nginx runs as www-data, which cannot read /site/site',
  ],
  [
    folder,
    { files: { folders: new Map([['/site/site', { state: 'there', hasIndex: false, bars: [] }]]) } },
    'folder-not-shown: `a.saltmarsh.example` shows /site/site, which has no index.html',
  ],
  [
    onHaproxy(folder),
    { files: { folders: new Map([['/site/site', { state: 'there', hasIndex: true, bars: [] }]]) } },
    'proxy-cannot: `a.saltmarsh.example` shows /site/site, but haproxy cannot serve files.',
  ],
  [
    onHaproxy('roads: {a: {to: ":1", log: a.log}}'),
    {},
    'proxy-cannot: `a.saltmarsh.example` has the log file /site/a.log, but haproxy cannot write files.',
  ],
  [
    onHttpd('roads: {a: {to: ":1", rate: 5/s}}'),
    {},
    'proxy-cannot: `a.saltmarsh.example` has a `rate`, but httpd cannot count requests.',
  ],
  [
    onHttpd('gates: {w: {people: w}, r: {people: r}}\nroads: {a: {to: ":1", gate: [w, r]}}'),
    {},
    'proxy-cannot: `a.saltmarsh.example` has gates with several password files, but httpd can use only one for each road.',
  ],
  [
    onHttpd(wardens),
    people(`e:${good}`),
    'proxy-cannot: httpd cannot count requests, so passwords can be guessed on one road without a limit.',
  ],
  [
    'gates: {in: {asks: ":9091/check"}}\nroads: {desk: {to: ":9091", gate: in}}',
    {},
    'gate-asks-itself: `desk.saltmarsh.example` leads to the service that its gate `in` asks (:9091/check). | Open the road of the sign-in service, which has its own login: mile-marker set desk.saltmarsh.example gate everyone',
  ],
  [
    'gates: {in: {asks: "desk:9091/check"}}\nroads: {a: {to: ":1", gate: in}}',
    {},
    'gate-asks-nobody: The gate `in` asks desk:9091/check: no such service.',
  ],
  [
    onHttpd('gates: {in: {asks: ":9091/check"}}\nroads: {a: {to: ":1", gate: in}}'),
    {},
    'proxy-cannot: `a.saltmarsh.example` has the gate `in`, which needs a sign-in service. httpd cannot do that.',
  ],
  [
    onHaproxy(wardens),
    people(`e:${good.replace('$07$', '$15$')}`),
    'people-file-faulty: haproxy crashes when it checks the password of e',
  ],
  ['roads: {a: {to: ":1", plain: true}}', {}, 'road-in-clear-text: `a.saltmarsh.example` is served on plain HTTP too.'],
  [
    wardens.replace('gate: wardens', 'gate: wardens, plain: true'),
    people(`e:${good}`),
    'road-in-clear-text: `a.saltmarsh.example` also asks for a password on plain HTTP, where anybody on the way can read it.',
  ],
  [
    'roads: {a: {to: ":1", paths: {/api: "nestcan:1"}}}',
    {},
    'service-unknown: No service is called `nestcan`. | Did you mean `nestcam`?',
  ],
])('alarm: %s', (text, given, words) => {
  const found = told(text, given);
  expect(found).toHaveLength(1);
  expect(found[0]).toContain(words);
});

test('a part behind HTTPS that does not prove itself, or that nothing can prove', () => {
  const part = (to: string): string => `roads: {a: {folder: ./site, paths: {/api: "${to}"}}}`;
  const nginx = `domains: [a.example]\nfront: {address: 203.0.113.24, proxy: nginx}\n`;
  expect(told(`${nginx}${part('https://192.168.64.9:8443')}`)).toEqual([
    expect.stringContaining('upstream-unproven: `a.a.example/api` leads to an https service by its address'),
  ]);
});

test('what browsers remember is the longest that was sent, from the last moment it was', () => {
  const day = 86_400;
  const at = (days: number): string => new Date(now + days * day * 1000).toISOString();
  let journal: HstsEntry[] = [];
  const live = (days: number, maxAge: number | null): void => {
    journal = [...journal, ...hstsChanges(journal, maxAge === -1 ? [] : [{ name: 'a', maxAge }], at(days))];
  };
  live(0, day);
  live(1, day);
  live(2, 180 * day);
  live(10, 0);
  expect(journal.map(({ maxAge }) => maxAge)).toEqual([day, 180 * day, 0]);
  expect(rememberedUntil(journal, Date.parse(at(11))).get('a')).toBe(Date.parse(at(190)));
  live(12, -1);
  expect(journal[journal.length - 1]?.maxAge).toBe(null);
  expect(rememberedUntil(journal.slice(0, 1), Date.parse(at(30))).get('a')).toBe(Date.parse(at(31)));
});

test('a password file keeps every byte that is not the person’s own line', () => {
  const name = fc.stringMatching(/^[a-z][a-z0-9 ]{0,5}[a-z0-9]$/);
  const other = fc.oneof(
    fc.constantFrom('', '# a note', 'no colon', ':x', '# edda:x'),
    fc.tuple(name, fc.constantFrom(good, 'x')).map((pair) => pair.join(':')),
  );
  fc.assert(
    fc.property(fc.array(other), fc.constantFrom('\n', '\r\n'), name, (lines, ending, who) => {
      const text = lines.length === 0 ? '' : lines.join(ending) + ending;
      const set = withPerson(text, who, good);
      expect(
        parsePasswordFile(set)
          .people.filter((one) => one.name === who)
          .map(({ hash }) => hash),
      ).toEqual([good]);
      const rest = (whole: string): string[] =>
        whole
          .split(/\r?\n/)
          .filter((line) => line.startsWith('#') || line.split(':')[0] !== who || !line.includes(':'));
      expect(rest(set).filter((line) => line !== '')).toEqual(rest(text).filter((line) => line !== ''));
      expect(parsePasswordFile(withPerson(set, who, null)).people.map((one) => one.name)).not.toContain(who);
    }),
  );
});

test('kinds of hashes are known by their form', () => {
  const kinds = [
    good,
    '$apr1$abc$51YrpNiEtKAQp4coykJmu.',
    '$6$rounds=20000$salt$abc',
    '$5$salt$abc',
    '{SSHA}AAAA',
    '{PLAIN}x',
    'abJnggxhB/yWI',
    '$$2y$$07$$x',
    'secret',
  ];
  expect(kinds.map((hash) => hashKind(hash).id)).toEqual([
    'bcrypt',
    'apr1',
    'sha512-crypt',
    'sha256-crypt',
    'salted-sha1',
    'clear',
    'des',
    'unknown',
    'unknown',
  ]);
  expect(hashKind('$6$rounds=20000$salt$abc').cost).toBe(20_000);
});
