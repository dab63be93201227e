import { proxyNames, type ProxyName } from '../../src/core/proxies/names.ts';
import type { Does, Edge, Row } from './row.ts';

const html = { 'content-type': 'text/html' };
const listed = '<ul><li>one<li>two<li>three<li>four<li>five<li>six<li>seven</ul>';
const body = `<title>Nest camera</title>${listed}`;
const mirror: Does = { answers: 200, headers: html, body: `${body}you asked for {target}` };
const cookie: Does = { answers: 200, headers: { ...html, 'set-cookie': ['seen=1; Path=/; Secure'] }, body };
const login: Does = {
  when: { has: ['authorization', 'Bearer'] },
  then: { answers: 401, headers: { 'www-authenticate': 'Bearer error="invalid_token"' } },
  otherwise: { answers: 401, headers: { 'www-authenticate': 'Bearer' } },
};

/** Each on one of the four fronts behind the edge, in turn: what goes wrong goes wrong before it. */
function inTurn(rows: ReadonlyArray<Omit<Row, 'own' | 'edge'> & { edge: Omit<Edge, 'speaks'> }>): Row[] {
  return rows.map((row, index) => {
    const own: ProxyName = proxyNames[index % proxyNames.length] ?? 'builtin';
    return { ...row, name: `${row.name}: ${own}`, own, edge: { speaks: 'https', ...row.edge } };
  });
}

/** What an edge does beside what it should. */
export const edgeRows: Row[] = inTurn([
  { name: 'the edge fails at every third request', rule: 'edge-alters', edge: { fails: 3 } },
  {
    name: 'the edge takes the query away',
    rule: 'edge-alters',
    service: { does: mirror },
    edge: { path: ['\\?.*$', ''] },
  },
  {
    name: 'the edge puts a folder before paths',
    rule: 'edge-alters',
    service: { does: mirror },
    edge: { path: ['^/', '/origin/'] },
  },
  {
    name: 'the edge keeps cookies for itself',
    rule: 'edge-alters',
    severity: 'warning',
    service: { does: cookie },
    edge: { withholds: ['set-cookie'] },
  },
  {
    name: 'the edge keeps logins for itself',
    rule: 'edge-alters',
    severity: 'warning',
    service: { does: login },
    edge: { drops: ['authorization'] },
  },
  {
    name: 'the edge passes no live connections',
    rule: 'edge-alters',
    road: 'expect: {path: /live, websocket: true}',
    service: { live: 'echoes' },
    edge: { passesUpgrade: false },
  },
  { name: 'the edge sends a name of its own', rule: 'edge-alters', edge: { host: 'origin.saltmarsh.example' } },
  {
    name: 'the edge passes on what visitors say of themselves',
    rule: 'gate-open',
    road: 'gate: far',
    edge: { names: null },
  },
]);

/** Behind an edge, and well. */
export const edgeHealthyRows: Row[] = [
  ...inTurn([
    {
      name: 'an edge that passes live connections',
      rule: null,
      road: 'expect: {path: /live, websocket: true}',
      service: { live: 'echoes' },
      edge: {},
    },
    { name: 'an edge before a service that asks for a login', rule: null, service: { does: login }, edge: {} },
    { name: 'an edge before a service with cookies', rule: null, service: { does: cookie }, edge: {} },
    { name: 'an edge before a service that says what it was asked', rule: null, service: { does: mirror }, edge: {} },
    { name: 'an edge before a gate that keeps this machine out', rule: null, road: 'gate: far', edge: {} },
    { name: 'an edge before a paused road', rule: null, road: 'paused: true', edge: {} },
    { name: 'an edge before a redirect', rule: null, to: '{redirect: "https://tides.saltmarsh.example"}', edge: {} },
  ]),
];
