import type { StandIn } from '../src/adapters/rehearsal/stand-in.ts';

import { HeldFront, type HeldKind, type MapText, type Row, heldKinds } from './support/held-against-verdict.ts';

/**
 * The same requests to every proxy, byte by byte on raw sockets, each held against the verdict. What malformed requests
 * get may differ in kind (another 4xx, or a closed connection), but never reaches a service.
 */

const open = 'sightings.saltmarsh.example';
const gated = 'roster.saltmarsh.example';
const inside = '127.0.0.2';
const edge = '127.0.0.9';
const forged: Array<[string, string]> = [
  ['X-Forwarded-For', '127.0.0.2'],
  ['X-Forwarded-Proto', 'http'],
  ['X-Forwarded-Host', 'evil.example'],
  ['X-Forwarded-Port', '1'],
  ['X-Real-IP', '127.0.0.2'],
  ['Forwarded', 'for=127.0.0.2'],
  ['X_Forwarded_For', '127.0.0.2'],
];
const upgrade = (to: string): Array<[string, string]> => [
  ['Connection', 'Upgrade'],
  ['Upgrade', to],
  ['Sec-WebSocket-Version', '13'],
  ['Sec-WebSocket-Key', 'c2FsdG1hcnNoIHBsb3Zlcg=='],
];

const targets = [
  '/',
  '/?',
  '/a%2Fb?x=1&y=%20',
  '//double//slash',
  '/a/../b',
  '/a/%2e%2e/b',
  '/./x',
  '/%C3%A4',
  "/it's;v=1,2",
  '/a?b=http://c/',
  '/q?%zz',
  '/back\\slash',
  '/{x}|^`',
];
/** Targets of other kinds than a path, each as the verdict has it on every proxy. */
const otherForms = [
  `ftp://${open}/x`,
  `file://${open}/x`,
  'file:///etc/passwd',
  `ws://${open}/x`,
  `keeper@${open}/x`,
  `http://keeper@${open}/x`,
  `http://keeper:x@${open}/x`,
  'http:///x',
  'https:///x',
  'http:/x',
  'http:x',
  `//keeper@${open}/x`,
  `HTTP://${open}/x`,
  `http://${open}:0/x`,
  `http://${open}:/x`,
  '/x//..//..//secret',
  '/x/..//..//secret',
  '/x%2f%2e.//../secret',
  '/a//../../x',
  '/a/b//..//../x',
  '/a/b//..//../../x',
  '/\tx',
  '/x y',
];
/** What the front says of a visitor, which he may not take away (RFC 9110 §7.6.1). */
const ownOfFront =
  'X-Forwarded-For, X-Real-IP, Forwarded, X-Forwarded-Proto, X-Forwarded-Host, X-Forwarded-Port, Host, X-Mile-Marker-Hop';
const badTargets = ['/../x', '/%2e%2e/x', '/a/../../x', '/%zz', '/%00', '/%', '/caf\u00e9', '/a#b', '*', 'nothing'];

const rows: Row[] = [
  ...[
    [open, gated],
    [gated, open],
    [open, 'evil.example'],
    ['evil.example', open],
    [`${open}:443`, open],
    [`keeper@${open}`],
    [`${open}:0`],
  ].map((host) => ({
    what: `:authority and Host over HTTP/2: ${host.join(' and ')}`,
    host,
    version: '2.0' as const,
    from: inside,
  })),
  ...['GET', 'OPTIONS', 'TRACE', 'CONNECT'].map((method) => ({
    what: `${method} over HTTP/2`,
    method,
    version: '2.0' as const,
  })),
  ...(['http', 'https'] as const).flatMap((listener) => [
    ...[...targets, ...badTargets, ...otherForms].map((target) => ({ what: `target ${target}`, listener, target })),
    ...['GET', 'HEAD', 'DELETE', 'OPTIONS', 'TRACE', 'CONNECT', 'PROPFIND'].map((method) => ({
      what: method,
      listener,
      method,
    })),
    ...[
      [open.toUpperCase()],
      [`${open}.`],
      [`${open}:1234`],
      [],
      ['evil.example'],
      [open, open],
      [''],
      ['a b'],
      [`${open},x`],
      [`${open}:x`],
      ['127.0.0.1'],
    ].map((host) => ({ what: `host ${JSON.stringify(host)}`, listener, host })),
    {
      what: 'HTTP/1.0 absolute form without Host',
      listener,
      version: '1.0' as const,
      host: [],
      target: `http://${open}/x`,
    },
    { what: 'HTTP/1.0 without Host', listener, version: '1.0' as const, host: [] },
    { what: 'absolute form', listener, target: `http://${open}/x?y` },
    { what: 'absolute form of another road', listener, target: 'http://nestcam.saltmarsh.example/x' },
    { what: 'absolute form without path', listener, target: `http://${open}` },
    { what: 'absolute form of a stranger', listener, target: 'http://evil.example/' },
    { what: 'gated from outside', listener, host: [gated], sni: gated },
    { what: 'gated from inside', listener, host: [gated], sni: gated, from: inside },
    ...[
      ['nothing', []],
      ['one from inside', [inside]],
      ['one from outside', ['203.0.113.5']],
      ['a list whose last is outside', [`${inside}, 203.0.113.5`]],
      ['a list whose last is inside', [`203.0.113.5,${inside}`]],
      ['a list that ends with itself', [`${inside}, ${edge}`]],
      ['an address with a port', [`${inside}:4711`]],
      ['an IPv6 address', ['[2001:db8:40::9]:80']],
      ['two lines, the first from a stranger', [inside, '203.0.113.5']],
      ['two lines, the last from inside', ['203.0.113.5', inside]],
      ['no address', ['inside']],
      ['no address behind one', [`inside, ${edge}`]],
    ].map(([what, lines]) => ({
      what: `from the edge: ${String(what)}`,
      listener,
      host: [gated],
      sni: gated,
      from: edge,
      headers: (lines as string[]).map((line): [string, string] => ['X-Forwarded-For', line]),
    })),
    {
      what: 'the header of the edge from a stranger',
      listener,
      host: [gated],
      sni: gated,
      headers: [['X-Forwarded-For', inside]] as Array<[string, string]>,
    },
    {
      what: 'the header of the edge from a stranger on an open road',
      listener,
      headers: [['X-Forwarded-For', inside]] as Array<[string, string]>,
    },
    { what: 'redirect', listener, host: ['saltmarsh.example'], sni: 'saltmarsh.example', target: '/a%2Fb?c' },
    {
      what: 'permanent redirect',
      listener,
      host: ['sightings.reedbed.example'],
      sni: 'sightings.reedbed.example',
      target: '//x?',
    },
    { what: 'gated redirect from outside', listener, host: ['old.saltmarsh.example'], sni: 'old.saltmarsh.example' },
    {
      what: 'gated redirect from inside',
      listener,
      host: ['old.saltmarsh.example'],
      sni: 'old.saltmarsh.example',
      from: inside,
    },
    { what: 'paused', listener, host: ['asleep.saltmarsh.example'], sni: 'asleep.saltmarsh.example' },
    {
      what: 'paused websocket',
      listener,
      host: ['asleep.saltmarsh.example'],
      sni: 'asleep.saltmarsh.example',
      headers: upgrade('websocket'),
    },
    { what: 'service that is down', listener, host: ['tides.saltmarsh.example'], sni: 'tides.saltmarsh.example' },
    { what: 'websocket', listener, headers: upgrade('websocket') },
    { what: 'WebSocket in capitals', listener, headers: upgrade('WebSocket') },
    { what: 'h2c', listener, headers: upgrade('h2c') },
    { what: 'unknown upgrade', listener, headers: upgrade('tunnel') },
    { what: 'gated websocket from outside', listener, host: [gated], sni: gated, headers: upgrade('websocket') },
    {
      what: 'gated websocket from inside',
      listener,
      host: [gated],
      sni: gated,
      from: inside,
      headers: upgrade('websocket'),
    },
    { what: 'forged headers', listener, headers: forged },
    ...['close', 'keep-alive'].map((first) => ({
      what: `headers of the front that Connection names, behind ${first}`,
      listener,
      headers: [['Connection', `${first}, ${ownOfFront}`], ...forged] as Array<[string, string]>,
    })),
    {
      what: 'headers of the front that Connection names, with a WebSocket',
      listener,
      headers: [['Connection', `Upgrade,${ownOfFront.toLowerCase()}`], ...upgrade('websocket').slice(1)] as Array<
        [string, string]
      >,
    },
    ...['OPTIONS', 'GET', 'TRACE'].map((method) => ({
      what: `${method} with Max-Forwards`,
      listener,
      method,
      headers: [['Max-Forwards', '0']] as Array<[string, string]>,
    })),
    ...[`${open}:0`, `${open}:00443`, `${open}:65536`, `${open}:443x`].map((host) => ({
      what: `host ${host}`,
      listener,
      host: [host],
    })),
    {
      what: 'headers that are called like something else',
      listener,
      headers: [
        ['Constructor', 'x'],
        ['toString', 'y'],
      ] as Array<[string, string]>,
    },
    { what: 'forged headers at a gate', listener, host: [gated], sni: gated, headers: forged },
    {
      what: 'post',
      listener,
      method: 'POST',
      headers: [['Content-Length', '5']] as Array<[string, string]>,
      body: 'hello',
    },
    {
      what: 'chunked post',
      listener,
      method: 'POST',
      headers: [['Transfer-Encoding', 'chunked']] as Array<[string, string]>,
      body: '5\r\nhello\r\n0\r\n\r\n',
    },
    {
      what: 'smuggling: both lengths',
      listener,
      method: 'POST',
      headers: [
        ['Content-Length', '4'],
        ['Transfer-Encoding', 'chunked'],
      ] as Array<[string, string]>,
      body: '0\r\n\r\n',
    },
  ]),
  { what: 'no SNI', sni: null },
  { what: 'unknown SNI', sni: 'evil.example' },
  { what: 'SNI in capitals', sni: open.toUpperCase() },
  { what: 'SNI of another road', sni: 'nestcam.saltmarsh.example' },
  { what: 'SNI known, Host unknown', host: ['evil.example'] },
];

describe.each<HeldKind>(heldKinds)('%s', (proxy) => {
  let front: HeldFront;
  beforeAll(async () => {
    front = await HeldFront.start(proxy, mapText);
  });
  afterAll(() => front.stop());

  test.each(rows)('$listener $what', async (row) => {
    await front.holds({ host: [open], ...row, sni: row.sni === undefined ? open : row.sni });
  });
});

const mapText: MapText = ({ proxy, ports, echoes }) => {
  const [birdLog, nestcam, roster] = echoes.map(({ port }: StandIn) => String(port));
  return `domains: [saltmarsh.example, reedbed.example]
front:
  address: 127.0.0.1
  proxy: ${proxy}
  ports: {http: ${String(ports.http)}, https: ${String(ports.https)}}
  mark: 127.0.0.1:${String(ports.mark)}
  home-networks: [${inside}/32]
  edge: {networks: [${edge}/32]}
roads:
  sightings: {to: ":${birdLog ?? ''}", gate: everyone}
  nestcam: {to: ":${nestcam ?? ''}", gate: everyone}
  roster: :${roster ?? ''}
  tides: {to: ":${String(ports.dead)}", gate: everyone}
  saltmarsh.example: {redirect: "https://sightings.saltmarsh.example/log", gate: everyone}
  asleep: {to: ":${roster ?? ''}", paused: true}
  old: {redirect: "https://nestcam.saltmarsh.example"}
  sightings.reedbed.example: {redirect: "https://www.example.org", permanent: true, gate: everyone}
`;
};
