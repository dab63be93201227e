import fc from 'fast-check';
import { takeOver as takeOverHaproxy } from '../../src/core/proxies/haproxy/take-over.ts';
import { switchOff as switchOffHttpd } from '../../src/core/proxies/httpd/switch-off.ts';
import { takeOver as takeOverHttpd } from '../../src/core/proxies/httpd/take-over.ts';
import { switchOff } from '../../src/core/proxies/nginx/switch-off.ts';
import { takeOver } from '../../src/core/proxies/nginx/take-over.ts';
import { readMap } from '../../src/core/map/read-map.ts';
import { takenMap } from '../../src/core/takeover/first-map.ts';
import type { TakenOver } from '../../src/core/takeover/taken-over.ts';

/** What is read off a configuration made by hand never opens what was closed. */

const dump = (server: string, http = ''): string => `# configuration file /etc/nginx/nginx.conf:
http {
${http}
server { listen 443 ssl; server_name roster.saltmarsh.example;
${server}
}
}
`;
const httpdStart = '<VirtualHost *:443>\nServerName a.saltmarsh.example\nProxyPass / http://127.0.0.1:8081/\n';
const haproxyStart =
  'defaults\n mode http\nbackend one\n server s 127.0.0.1:8081\nfrontend web\n bind :443\n acl a hdr(host) -i a.saltmarsh.example\n use_backend one if a\n';
const httpdDump = (text: string): string =>
  `Included configuration files:\n  (*) /etc/httpd.conf\nServerRoot: "/etc"\n# configuration file /etc/httpd.conf:\n${text}`;

const pass = 'proxy_pass http://127.0.0.1:8083;';
const closed = 'allow 192.168.64.0/24; deny all;';
const people = 'auth_basic x; auth_basic_user_file /etc/nginx/wardens;';

test.each<[what: string, server: string, gate: object | null, left: RegExp[]]>([
  ['open', `location / { ${pass} }`, null, []],
  ['networks', `${closed} location / { ${pass} }`, { networks: ['192.168.64.0/24'], people: null }, []],
  [
    'an inner list stands in place of the outer one',
    `allow 10.0.0.0/8; deny all; location / { ${closed} ${pass} }`,
    { networks: ['192.168.64.0/24'] },
    [],
  ],
  [
    'people anywhere, a hook without',
    `${people} location / { ${pass} } location /hooks/ { auth_basic off; ${pass} }`,
    { people: '/etc/nginx/wardens', except: ['/hooks/'] },
    [],
  ],
  [
    'a hook without a password that still wants the network',
    `${closed} ${people} location / { ${pass} } location /hooks/ { auth_basic off; ${pass} }`,
    { networks: ['192.168.64.0/24'], except: [] },
    [/was less strict/],
  ],
  [
    'a part alone',
    `location / { ${pass} } location /admin/ { ${closed} ${pass} }`,
    { networks: ['192.168.64.0/24'], wasOn: '/admin/' },
    [],
  ],
  [
    'two parts, each with its own',
    `location / { ${pass} } location /a/ { ${closed} ${pass} } location /b/ { ${people} ${pass} }`,
    { wasOn: '/a/' },
    [/the gate of \/b\/: a road has one gate/],
  ],
  ['closed to all', `deny all; location / { ${pass} }`, { networks: ['127.0.0.0/8'] }, []],
  [
    'another program decides',
    `location / { auth_request /ask; ${pass} }`,
    { unsaid: true },
    [/auth_request: .*home only/],
  ],
  ['certificates of visitors', `ssl_verify_client on; location / { ${pass} }`, { unsaid: true }, [/ssl_verify_client/]],
])('%s', (_, server, gate, wanted) => {
  const { roads, left } = takeOver(dump(server));
  expect(roads[0]?.gate).toEqual(gate === null ? null : expect.objectContaining(gate));
  const said = left.map(({ what, why }) => `${what}: ${why}`);
  expect(said).toEqual(wanted.map((one) => expect.stringMatching(one)));
});

test.each<[what: string, words: string, gate: object | null]>([
  ['open', '', null],
  [
    'networks',
    '<Location /> \nRequire ip 192.168.64.0/24 10.1\n</Location>',
    { networks: ['192.168.64.0/24', '10.1.0.0/16'] },
  ],
  [
    'a service that is for some',
    '<Proxy "http://127.0.0.1:8081">\nRequire ip 192.168.64.0/24\n</Proxy>',
    { networks: ['192.168.64.0/24'] },
  ],
  [
    'a service of another road that is for all',
    '<Proxy "http://127.0.0.1:9999">\nRequire all granted\n</Proxy>\n<Proxy "http://127.0.0.1:8081">\nRequire ip 192.168.64.0/24\n</Proxy>',
    { networks: ['192.168.64.0/24'] },
  ],
  [
    'both must hold',
    '<Location />\nAuthType Basic\nAuthUserFile w\n<RequireAll>\nRequire valid-user\nRequire ip 192.168.64.0/24\n</RequireAll>\n</Location>',
    { networks: ['192.168.64.0/24'], people: '/etc/w', need: 'all' },
  ],
  [
    'who writes alone',
    '<Location />\n<LimitExcept GET>\nRequire valid-user\n</LimitExcept>\nRequire all granted\n</Location>',
    { unsaid: true },
  ],
  [
    'closed in older words',
    '<Location />\nOrder allow,deny\nDeny from all\n</Location>',
    { networks: ['127.0.0.0/8'] },
  ],
  [
    'a part by a pattern',
    '<LocationMatch "^/admin">\nRequire ip 192.168.64.0/24\n</LocationMatch>',
    { wasOn: '^/admin' },
  ],
  [
    'a folder below',
    'DocumentRoot /srv\n<Directory /srv/private>\nRequire ip 192.168.64.0/24\n</Directory>',
    { wasOn: '/srv/private' },
  ],
  [
    'all files',
    'DocumentRoot /srv\n<Files "*">\nRequire ip 192.168.64.0/24\n</Files>',
    { networks: ['192.168.64.0/24'] },
  ],
  ['visitors with certificates', 'SSLVerifyClient require', { unsaid: true }],
])('httpd: %s', (_, words, gate) => {
  const { roads } = takeOverHttpd(
    httpdDump(
      `${words.startsWith('DocumentRoot') ? httpdStart.replace(/ProxyPass.*\n/, '') : httpdStart}${words}\n</VirtualHost>\n`,
    ),
  );
  expect(roads).toHaveLength(1);
  if (gate === null) expect(roads[0]?.gate).toBeNull();
  else expect(roads[0]?.gate).toMatchObject(gate);
});

test.each<[rule: string, why: string | null, url?: string]>([
  ['RewriteRule ^/$ https://www.example.org/app [R=301,L]', 'redirects only some paths'],
  ['RewriteRule ^/(.*)$ https://www.example.org/$1 [R=301,L]', null],
  ['RewriteRule ^ https://www.example.org%{REQUEST_URI} [R=301,L]', null],
  [
    'RewriteCond %{HTTP_HOST} ^a\\.(saltmarsh\\..*)$ [NC]\nRewriteRule ^ https://www.%1%{REQUEST_URI} [R=301,L]',
    null,
    'https://www.saltmarsh.example',
  ],
  ['RewriteCond %{HTTP_HOST} ^b\\. [NC]\nRewriteRule ^ https://b.example.org%{REQUEST_URI} [R=301,L]', ''],
  ['RedirectMatch 301 ^/$ https://www.example.org/app', 'a pattern of paths'],
  ['RedirectMatch 301 ^/(.*)$ https://www.example.org/$1', null],
  ['Redirect gone /old', 'leads to no other name'],
])('httpd: %s leads every path elsewhere, or is listed', (rule, why, url = 'https://www.example.org') => {
  const text = `<VirtualHost *:443>\nServerName a.saltmarsh.example\nSSLEngine on\nRewriteEngine on\n${rule}\nDocumentRoot /srv\n</VirtualHost>\n`;
  const { roads, left } = takeOverHttpd(httpdDump(text));
  const redirect = { kind: 'redirect', url, permanent: true };
  expect(roads.map(({ leads }) => leads)).toEqual([why === null ? redirect : { kind: 'folder', path: '/srv' }]);
  if (why === '') expect(left).toEqual([]);
  else if (why !== null)
    expect(left).toContainEqual(expect.objectContaining({ why: expect.stringContaining(why) as string }));
});

test.each<[what: string, rule: string, gate: object | null]>([
  ['open', '', null],
  ['networks', 'http-request deny unless { src 192.168.64.0/24 }', { networks: ['192.168.64.0/24'] }],
  ['networks of one name', 'http-request deny if a !{ src 192.168.64.0/24 }', { networks: ['192.168.64.0/24'] }],
  ['networks of another name', 'http-request deny if { hdr(host) b.saltmarsh.example } !{ src 192.168.64.0/24 }', null],
  [
    'a part that is for nobody',
    'http-request deny if { path_beg /admin }',
    { networks: ['127.0.0.0/8'], wasOn: '/admin' },
  ],
  [
    'a part that is for some',
    'http-request deny if { path_beg /admin } !{ src 10.0.0.0/8 }',
    { networks: ['10.0.0.0/8'], wasOn: '/admin' },
  ],
  ['names of a pattern', 'http-request deny unless { hdr_reg(host) ^b }', { unsaid: true }],
  ['addresses of a list', 'http-request deny unless { src,map(/etc/near) -m found }', { unsaid: true }],
  ['a secret', 'http-request deny unless { req.hdr(x-tide) ebb }', { unsaid: true }],
  ['people', 'http-request auth unless { http_auth(w) }', { unsaid: true }],
  ['before a request', 'tcp-request connection reject if !{ src 192.168.64.0/24 }', { networks: ['192.168.64.0/24'] }],
  [
    'two lists',
    'http-request deny unless { src 10.0.0.0/8 }\n http-request deny unless { src 10.1.0.0/16 }',
    { unsaid: true },
  ],
])('haproxy: %s', (_, rule, gate) => {
  const { roads } = takeOverHaproxy(`# configuration file /etc/haproxy.cfg:\n${haproxyStart} ${rule}\n`);
  const road = roads.find(({ name }) => name === 'a.saltmarsh.example');
  expect(road?.leads).toMatchObject({ to: ':8081' });
  if (gate === null) expect(road?.gate).toBeNull();
  else expect(road?.gate).toMatchObject(gate);
});

test('haproxy: the gate of a part counts, and one before a redirect; an address of IPv6 keeps its port', () => {
  const { roads } = takeOverHaproxy(`# configuration file /etc/haproxy.cfg:
defaults
 mode http
frontend web
 bind :443 ssl crt /etc/pair.pem
 acl a hdr(host) a.saltmarsh.example
 http-request deny if { hdr(host) b.saltmarsh.example } !{ src 10.0.0.0/8 }
 http-request redirect prefix https://www.example.org if { hdr(host) b.saltmarsh.example }
 use_backend cam if a { path_beg /cam }
 use_backend one if a
backend one
 server s 2001:db8::1:8081
backend cam
 http-request deny unless { src 192.168.64.0/24 }
 server s 127.0.0.1:8082
`);
  expect(
    roads.map(({ name, leads, gate }) => [name, leads.kind === 'service' ? leads.to : leads.kind, gate?.networks]),
  ).toEqual([
    ['b.saltmarsh.example', 'redirect', ['10.0.0.0/8']],
    ['a.saltmarsh.example', 'http://[2001:db8::1]:8081', ['192.168.64.0/24']],
  ]);
});

test('what all servers inherit counts, too', () => {
  const { roads } = takeOver(dump(`location / { ${pass} }`, closed));
  expect(roads[0]?.gate).toMatchObject({ networks: ['192.168.64.0/24'] });
});

const wanted = { covers: (name: string) => name === 'a.example', ports: [80] };
const server = 'server { listen 80; server_name a.example; }';

test.each([
  [
    `${server}\n`,
    '# Switched off by `mile-marker install --replace`; `mile-marker undo front` brings it back.\n# server { listen 80; server_name a.example; }\n',
  ],
  [`${server} ${server}\n`, 'not stand on lines of its own'],
  [`map $a $b {} ${server}\n`, 'not stand on lines of its own'],
  ['server { listen 81; server_name a.example; }\n', 'nothing in it is in the way'],
  ['server { listen 80; server_name a.example b.example; }\n', 'also answers b.example'],
  [`# Written by Mile Marker (map 1).\n${server}\n`, 'for another map'],
])('switching off: %j', (text, expected) => {
  const made = switchOff(text, wanted);
  expect('why' in made ? made.why : made.text).toContain(expected);
});

const host = '<VirtualHost *:80>\n  ServerName http://a.example:80\n  <Location />\n  </Location>\n</VirtualHost>\n';

test.each([
  [
    `<IfModule x>\n${host}</IfModule>\nListen 80\n`,
    `<IfModule x>\n# Switched off by \`mile-marker install --replace\`; \`mile-marker undo front\` brings it back.\n${host.replace(/^(?=.)/gm, '# ')}</IfModule>\nListen 80\n`,
  ],
  [host.replace('*:80', '*:8180'), 'nothing in it is in the way'],
  ['<VirtualHost *:80>\nDocumentRoot /srv\n</VirtualHost>\n', 'nothing in it is in the way'],
  [host.replace('<Location', 'ServerAlias *.a.example\n  <Location'), 'on line 1 also answers *.a.example'],
])('switching off in httpd: %j', (text, expected) => {
  const made = switchOffHttpd(text, wanted);
  expect('why' in made ? made.why : made.text).toContain(expected);
});

/** Configurations of pieces that are in use, in any order, with values that mean something elsewhere. */
const value = fc.oneof(
  fc.constantFrom(
    'saltmarsh.example',
    '/etc/wardens',
    '192.0.2.0/24',
    '"',
    "'",
    '\\',
    '%[path]',
    '${X}',
    '# no',
    ': [',
    '\u2028',
    '{',
    '}',
    '!',
    '::1',
    '10.1',
  ),
  fc.string({ unit: 'grapheme', maxLength: 12 }),
);
const lineOf = (starts: readonly string[]): fc.Arbitrary<string> =>
  fc
    .tuple(fc.constantFrom(...starts), fc.array(value, { maxLength: 3 }))
    .map(([start, values]) => [start, ...values].join(' '));

const httpdLines = [
  ...[
    '<VirtualHost *:443>',
    '</VirtualHost>',
    '<Location /',
    '</Location>',
    '<RequireAll>',
    '</RequireAll>',
    '<Macro A $b>',
    '</Macro>',
    'Use A',
  ],
  ...[
    'ServerName a.saltmarsh.example',
    'ServerAlias',
    'SSLEngine on',
    'ProxyPass / http://127.0.0.1:8081/',
    'ProxyPass',
    'Require ip',
    'Require',
  ],
  ...[
    'Redirect / https://www.example.org',
    'RewriteCond %{HTTP_HOST}',
    'RewriteRule ^',
    'AuthUserFile',
    'Header set X',
    'Order allow,deny',
    'Deny from',
    'Define',
    'Include',
  ],
];
const haproxyLines = [
  ...[
    'frontend web',
    'backend one',
    'listen all',
    'defaults',
    'userlist w',
    '  mode http',
    '  bind :443 ssl crt',
    '  acl a hdr(host) -i a.saltmarsh.example',
  ],
  ...[
    '  acl b',
    '  use_backend one if a',
    '  use_backend one if',
    '  default_backend one',
    '  server s 127.0.0.1:8081',
    '  http-request deny if a !b',
  ],
  ...[
    '  http-request deny unless',
    '  http-request redirect location https://www.example.org',
    '  http-request auth if',
    '  http-response set-header X',
    '  redirect scheme https if',
  ],
];

test.each<[string, readonly string[], (text: string) => TakenOver]>([
  ['httpd', httpdLines, (text) => takeOverHttpd(httpdDump(`${httpdStart}${text}`))],
  [
    'haproxy',
    haproxyLines,
    (text) => takeOverHaproxy(`# configuration file /etc/haproxy.cfg:\n${haproxyStart}${text}`),
  ],
])('%s: whatever its files say, what comes out is a map with these roads', (proxy, lines, take) => {
  let roads = 0;
  fc.assert(
    fc.property(fc.array(lineOf(lines), { maxLength: 25 }), (given) => {
      const taken = take(given.join('\n'));
      const text = takenMap({ taken, domain: null, addresses: ['203.0.113.24'], proxy: proxy as 'httpd' });
      if (taken.roads.length === 0) return;
      const { findings, map } = readMap({ file: 'mile-marker.yaml', text });
      expect(findings.filter(({ rule }) => /unreadable|unknown|double/.test(rule))).toEqual([]);
      // What a map does not take is said with its place.
      if (map !== null)
        expect(map.roads.map(({ name }) => name).sort()).toEqual(taken.roads.map(({ name }) => name).sort());
      else expect(findings).not.toEqual([]);
      roads += taken.roads.length;
    }),
    { numRuns: 300 },
  );
  expect(roads).toBeGreaterThan(50);
});
