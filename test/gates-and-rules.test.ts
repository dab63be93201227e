import { join } from 'node:path';
import bcrypt from 'bcryptjs';

import { programOf } from '../src/core/proxies/programs.ts';
import { someOf } from './support/some-of.ts';
import {
  HeldFront,
  proxyOf,
  type HeldKind,
  type MapText,
  type Row,
  heldKinds,
} from './support/held-against-verdict.ts';

/**
 * Gates, rules of roads, paths and folders: every request to both proxies, over HTTP/1 and HTTP/2, held against the verdict.
 */

const near = '127.0.0.2';
const far = '127.0.0.3';
const edge = '127.0.0.9';
const wardens = 'wardens.htpasswd';
const ringers = 'ringers.htpasswd';

const passwords: Record<string, string> = {
  edda: 'tern over the spit',
  joost: 'geese: at dusk',
  mia: 'päpstliche möwe',
};
const line = (name: string): string => `${name}:${bcrypt.hashSync(passwords[name] ?? '', 4)}\n`;

const files = {
  [wardens]: `# who may see the roster\n${line('edda')}${line('joost')}`,
  [ringers]: `${line('joost')}${line('mia')}`,
  'site/index.html': '<p>The marsh</p>',
  'site/links.txt': '/out\n/out/passwd\n/linked.html\n',
  'site/tide tables.html': 'high water',
  'site/Möwe.txt': 'gull',
  'site/sub/index.html': 'below',
  'site/sub/a+b.css': 'p {}',
  'site/empty/x.bin': '\u0001',
  'site/.htpasswd': 'secret',
  'site/.git/config': 'secret',
  'site/sub/.env': 'secret',
  'site/.well-known/security.txt': 'Contact: mailto:keeper@saltmarsh.example',
  'site-secret/index.html': 'not yours',
};

const mapText: MapText = ({ proxy, ports, echoes }) => {
  const [birdLog, nestcam, roster] = echoes.map(({ port }) => String(port));
  return `domains: [saltmarsh.example]
front:
  address: 127.0.0.1
  proxy: ${proxy}
  ports: {http: ${String(ports.http)}, https: ${String(ports.https)}}
  mark: 127.0.0.1:${String(ports.mark)}
  home-networks: [${near}/32]
  edge: {networks: [${edge}/32]}
gates:
  wardens: {people: ${wardens}}
  ringers: {people: ${ringers}}
  house: {networks: [${near}/32, "2001:db8:40::/48", ${edge}/32]}
  either: {people: ${wardens}, networks: [${near}], need: any, except: [/hooks/, /ping]}
  both: {people: ${wardens}, networks: [${near}], need: all, except: /hooks}
  shed: {networks: [${near}], except: [/hooks/, /ping]}
roads:
  open: {to: ":${birdLog ?? ''}", gate: everyone}
  people: {to: ":${birdLog ?? ''}", gate: wardens}
  either: {to: ":${birdLog ?? ''}", gate: either}
  both: {to: ":${birdLog ?? ''}", gate: both}
  list: {to: ":${birdLog ?? ''}", gate: ${programOf(proxy).limits.peopleFiles === 'many' ? '[house, wardens, ringers]' : '[house, wardens]'}}
  chain: {to: ":${birdLog ?? ''}", gate: [either, both]}
  moved: {redirect: "https://open.saltmarsh.example", gate: either}
  methods:
    to: ":${nestcam ?? ''}"
    gate: everyone
    methods: [GET, HEAD, POST]
    hsts: forget
    security-headers: strict
    response-headers: {X-Robots-Tag: 'noindex; "$host" \\ {}', Referrer-Policy: origin}
  cors:
    to: ":${nestcam ?? ''}"
    gate: wardens
    cors: {origins: ["https://www.saltmarsh.example", "https://a.example:8443"], methods: [put], headers: [X-Station], credentials: true, max-age: 1h}
  anyone: {to: ":${nestcam ?? ''}", gate: everyone, cors: {origins: "*"}, security-headers: off}
  small: {to: ":${nestcam ?? ''}", gate: everyone, body-limit: 5B}
  plain: {to: ":${nestcam ?? ''}", gate: shed, plain: true, upstream-host: "inside.example:81"}
  parts:
    to: ":${birdLog ?? ''}"
    gate: either
    paths:
      /api: {to: ":${nestcam ?? ''}"}
      /api/v2/: {to: ":${roster ?? ''}"}
      /dead: {to: ":${String(ports.dead)}"}
      /.well-known/caldav: {redirect: /dav/}
      /old: {redirect: "https://open.saltmarsh.example/new"}
      /a$b(c): {to: ":${roster ?? ''}"}
${programOf(proxy).limits.folders ? folders(nestcam ?? '') : ''}`;
};

const folders = (nestcam: string): string =>
  `  site: {folder: ./site, gate: everyone, paths: {/api: ":${nestcam}"}}
  linked: {folder: './by a "link"; (site)/site', gate: everyone}
  inner: {folder: ./site, gate: either, methods: [GET, HEAD, POST]}
`;

const basic = (name: string, password = passwords[name] ?? ''): [string, string] => [
  'Authorization',
  `Basic ${Buffer.from(`${name}:${password}`).toString('base64')}`,
];

/** Who asks: headers, and what they prove. The paths of the files are put in when the front is there. */
const callers: Record<string, Pick<Row, 'headers' | 'person' | 'knownIn'>> = {
  nobody: {},
  edda: { headers: [basic('edda')], person: 'edda', knownIn: [wardens] },
  joost: { headers: [basic('joost')], person: 'joost', knownIn: [wardens, ringers] },
  mia: { headers: [basic('mia')], person: 'mia', knownIn: [ringers] },
  'edda with a wrong password': { headers: [basic('edda', 'no')], person: 'wrong' },
  'edda with no password': { headers: [basic('edda', '')], person: 'wrong' },
  stranger: { headers: [basic('evil', 'x')], person: 'wrong' },
  garbage: { headers: [['Authorization', 'Basic !!!']], person: 'wrong' },
  'a comment': { headers: [basic('# who may see the roster', '')], person: 'wrong' },
  bearer: { headers: [['Authorization', 'Bearer abc']], person: 'none' },
};

/** Ways to write a path that some server might take for one that passes ungated. */
const sly = [
  '/hooks/x',
  '/hooks',
  '/hooks/',
  '/hooksx',
  '/HOOKS/x',
  '/ping',
  '/ping/x',
  '/ping?x=/../y',
  '/pingx',
  '/hooks/../x',
  '/x/../hooks/y',
  '/hooks/%2e%2e/x',
  '/hooks/..%2fx',
  '/hooks//x',
  '//hooks/x',
  '/./hooks/x',
  '/hooks;x/y',
  '/hooks/;/../x',
  '/%68ooks/x',
  '/hooks\\..\\x',
  '/hooks/.',
  '/hooks/..;/x',
  '/hooks/x?a=%2e%2e//;',
];

/** What an edge may write for the visitor. The house's own network holds the edge: whoever is taken for it is at home. */
const toldByEdge: string[][] = [
  [],
  [''],
  ['unknown'],
  ['127.2'],
  ['0x7f.0.0.2'],
  ['2130706434'],
  ['0127.0.0.2'],
  [`${near} x`],
  [`x ${near}`],
  [`${near}%lo`],
  ['fe80::1%lo'],
  [`${near}/32`],
  [`${near},`],
  [`,${near}`],
  [`${near},,${near}`],
  [near, ''],
  ['', near],
  [edge],
  [`${near}, ${edge}`],
  [`${far}, ${edge}`],
  [`${edge}, ${edge}`],
  [`unknown, ${edge}`],
  [`unknown, ${near}`],
  [`a b, ${near}`],
  [`${near}:4711`],
  [`${near}:99999`],
  [`${near}:`],
  [`[${near}]`],
  ['[2001:db8:40::7]:80'],
  ['[2001:db8:40::7]'],
  ['2001:db8:40::7::'],
  ['2001:db8:40:::7'],
  [`${near}, 2001:db8:40:::7`],
  [near, '2001:db8:40::7::'],
  [`::ffff:${near}`],
  [`"${near}"`],
  [`for=${near}`],
  ['localhost'],
];

const asked: Row[] = [
  ...['list', 'either', 'both', 'chain', 'open'].flatMap((road) =>
    toldByEdge.flatMap((lines) =>
      ['nobody', ...(lines.length < 2 && ['either', 'both'].includes(road) ? ['edda'] : [])].map((who) => ({
        what: `${road}: ${who}, of whom the edge says ${JSON.stringify(lines)}`,
        host: [road],
        from: edge,
        ...callers[who],
        headers: [
          ...(callers[who]?.headers ?? []),
          ...lines.map((line): [string, string] => ['X-Forwarded-For', line]),
        ],
      })),
    ),
  ),
  ...['either', 'both', 'chain'].flatMap((road) =>
    ['/hooks/x', '/x'].flatMap((target) =>
      [near, far].map((from) => ({
        what: `${road}: a password at ${target} from ${from}`,
        host: [road],
        from,
        target,
        ...callers['edda'],
      })),
    ),
  ),
  ...['people', 'either', 'both', 'list', 'chain', 'cors', 'moved', 'inner'].flatMap((road) =>
    Object.entries(callers).flatMap(([who, caller]) =>
      [near, far].map((from) => ({ what: `${road}: ${who} from ${from}`, host: [road], from, ...caller })),
    ),
  ),
  ...['either', 'both', 'chain', 'moved', 'plain'].flatMap((road) =>
    sly.map((target) => ({ what: `${road}: ${target}`, host: [road], from: far, target })),
  ),
  ...(['either', 'list'].flatMap((road) => [
    { what: `${road}: an address that the edge tells`, host: [road], from: edge, headers: [['X-Forwarded-For', near]] },
    {
      what: `${road}: an IPv6 address that the edge tells`,
      host: [road],
      from: edge,
      headers: [['X-Forwarded-For', '2001:db8:40::7']],
    },
    {
      what: `${road}: an address in IPv6 clothes`,
      host: [road],
      from: edge,
      headers: [['X-Forwarded-For', `::ffff:${near}`]],
    },
    {
      what: `${road}: a forged address`,
      host: [road],
      from: far,
      headers: [
        ['X-Forwarded-For', near],
        ['Forwarded', `for=${near}`],
        ['X-Real-IP', near],
      ],
    },
    {
      what: `${road}: two lines of credentials`,
      host: [road],
      from: far,
      headers: [basic('edda', 'no')],
      person: 'wrong',
    },
  ]) as Row[]),
  ...['GET', 'HEAD', 'POST', 'PUT', 'OPTIONS', 'DELETE'].flatMap((method) => [
    { what: `methods: ${method}`, host: ['methods'], method },
    { what: `site: ${method}`, host: ['site'], method },
    { what: `inner: ${method}`, host: ['inner'], method, from: near },
  ]),
  ...[
    'Referrer-Policy',
    'X-Frame-Options',
    'Strict-Transport-Security',
    'X-Accel-Redirect',
    'X-Powered-By',
    'X-Robots-Tag',
    'Access-Control-Allow-Origin',
    'Content-Security-Policy',
    'Vary',
  ].flatMap((name) =>
    ['open', 'methods', 'anyone', 'cors'].map((road): Row => {
      const say: [string, string] = ['X-Say', JSON.stringify([[name.toLowerCase(), 'of-the-service']])];
      return {
        what: `${road}: the service says ${name}`,
        host: [road],
        headers: [say, basic('edda')],
        person: 'edda',
        knownIn: [wardens],
      };
    }),
  ),
  ...[
    'https://www.saltmarsh.example',
    'https://a.example:8443',
    'https://evil.example',
    'null',
    'https://www.saltmarsh.example.evil.example',
    'HTTPS://WWW.SALTMARSH.EXAMPLE',
  ].flatMap((origin) =>
    ['cors', 'anyone', 'open'].flatMap((road): Row[] => [
      {
        what: `${road}: a page of ${origin}`,
        host: [road],
        headers: [['Origin', origin], basic('edda')],
        person: 'edda',
        knownIn: [wardens],
      },
      { what: `${road}: refused to a page of ${origin}`, host: [road], headers: [['Origin', origin]] },
      {
        what: `${road}: preflight of ${origin}`,
        host: [road],
        method: 'OPTIONS',
        headers: [
          ['Origin', origin],
          ['Access-Control-Request-Method', 'PUT'],
        ],
      },
      {
        what: `${road}: half a preflight of ${origin}`,
        host: [road],
        method: 'OPTIONS',
        headers: [['Origin', origin]],
      },
    ]),
  ),
  ...[
    '/api',
    '/api/',
    '/api/x?y=%2F',
    '/apix',
    '/api/v2',
    '/api/v2/',
    '/api/v2/z',
    '/api/../x',
    '/api%2Fx',
    '/x/api',
    '/dead',
    '/.well-known/caldav',
    '/.well-known/caldav?x=1',
    '/.well-known/caldav/',
    '/.well-known/caldav/a/b?c',
    '/.well-known/caldavx',
    '/old',
    '/old/x?y',
    '/old?z',
    '/older',
    '/old//evil.example',
    '/a$b(c)',
    '/a$b(c)/d',
    '/ab(c)',
    '/hooks/x',
    '/',
  ].flatMap((target) =>
    [near, far].map((from) => ({ what: `parts: ${target} from ${from}`, host: ['parts'], target, from })),
  ),
  ...[
    '/',
    '/index.html',
    '/sub',
    '/sub?x=1',
    '/sub/',
    '/sub/index.html',
    '/empty',
    '/empty/',
    '/nothing',
    '/nothing/',
    '/tide%20tables.html',
    '/M%C3%B6we.txt',
    '/M%F6we.txt',
    '/sub/a+b.css',
    '/sub/a%2bb.css',
    '/sub%2Fa+b.css',
    '/.htpasswd',
    '/%2ehtpasswd',
    '/.git/config',
    '/.git/',
    '/sub/.env',
    '/sub/%2Eenv',
    '/.well-known/security.txt',
    '/%2Ewell-known/security.txt',
    '/.well-known/',
    '/.well-known',
    '/.well-known/../.htpasswd',
    '/sub/../.htpasswd',
    '/sub/..',
    '/sub/../index.html',
    '/./index.html',
    '//index.html',
    '/sub//index.html',
    '/index.html/',
    '/index.html/x',
    '/out/passwd',
    '/out',
    '/linked.html',
    '/..%2fsite-secret/index.html',
    '/%5c..%5csite-secret',
    '/-secret/index.html',
    '/index.html%00',
    '/index.html%0a',
    '/api/x',
    '/~root',
  ].flatMap((target) =>
    ['site', 'inner', 'linked'].map((road) => ({ what: `${road}: ${target}`, host: [road], target, from: near })),
  ),
  ...[near, far].flatMap((from): Row[] => [
    { what: `plain over http from ${from}`, listener: 'http', host: ['plain'], from, target: '/a?b' },
    { what: `plain over https from ${from}`, host: ['plain'], from },
    { what: `plain: a hook over http from ${from}`, listener: 'http', host: ['plain'], from, target: '/hooks/x' },
    { what: `gated over http from ${from}`, listener: 'http', host: ['both'], from },
  ]),
  {
    what: 'a body that is just short enough',
    host: ['small'],
    method: 'POST',
    headers: [['Content-Length', '5']],
    body: 'hello',
  },
  {
    what: 'a body that is too long',
    host: ['small'],
    method: 'POST',
    headers: [['Content-Length', '6']],
    body: 'hello!',
  },
];

const links = {
  'site/out': '/etc',
  'site/linked.html': 'index.html',
  // A link on the way to a folder is the administrator's own.
  'by a "link"; (site)': '.',
};

const full = (row: Row, version: '1.1' | '2.0'): Row => ({
  ...row,
  version,
  host: (row.host ?? []).map((name) => `${name}.saltmarsh.example`),
});

describe.each<HeldKind>(heldKinds)('%s', (proxy) => {
  let front: HeldFront;
  beforeAll(async () => {
    front = await HeldFront.start(proxy, mapText, files, links);
  });
  afterAll(() => front.stop());

  const placed = (row: Row): Row =>
    row.knownIn === undefined ? row : { ...row, knownIn: row.knownIn.map((file) => join(front.folder, file)) };

  const possible = asked.filter(
    ({ host: [road = ''] = [] }) => proxyOf(proxy) !== 'haproxy' || !['site', 'inner', 'linked'].includes(road),
  );
  // Builtin and nginx are sent all of them, the others each second one.
  const own = proxy === 'builtin' || proxy === 'nginx' ? possible : someOf(possible, 2);
  test.each(own)('HTTP/1 $what', async (row) => front.holds(placed(full(row, '1.1'))));

  const overHttp2 = someOf(
    own.filter(({ listener }) => listener !== 'http'),
    3,
  );
  test.each(overHttp2)('HTTP/2 $what', async (row) => front.holds(placed(full(row, '2.0'))));
});
