import fc from 'fast-check';
import { decide, prepare } from '../../src/core/verdict/decide.ts';
import { isSoundTarget } from '../../src/core/verdict/target.ts';
import { forgeable, type VerdictRequest } from '../../src/core/verdict/verdict.ts';
import { steps } from '../../src/core/verdict/steps/all-steps.ts';
import { requestOf } from '../support/request.ts';
import { plannedOf } from '../support/plan.ts';

const text = `domains: [saltmarsh.example]
front: {address: 203.0.113.24, ports: {http: 80, https: 8443}, home-networks: [192.168.64.0/24]}
roads:
  open: {to: ":1001", gate: everyone}
  shut: :1002
  sent: {redirect: https://open.saltmarsh.example/x/, gate: everyone}
  kept: {redirect: https://www.example.org}
`;
const { plan } = plannedOf(text);
const prepared = prepare(plan);
const names = [...plan.roads.map(({ name }) => name), 'evil.example', 'saltmarsh.example', ''];

const hosts = fc.oneof(
  fc.constantFrom(...names).map((name) => [name]),
  fc.constantFrom(...names).map((name) => [`${name.toUpperCase()}.:8443`]),
  fc.array(fc.string(), { maxLength: 2 }),
);
const request: fc.Arbitrary<VerdictRequest> = fc.record({
  listener: fc.constantFrom('http', 'https'),
  sni: fc.oneof(fc.constantFrom(...names), fc.constant(null), fc.string()),
  host: hosts,
  method: fc.constantFrom('GET', 'POST', 'TRACE', 'CONNECT', 'OPTIONS'),
  target: fc.oneof(
    fc.webPath().map((path) => `/${path}`),
    fc.string(),
    fc.constantFrom('/', '*', 'http://open.saltmarsh.example/a', 'https://shut.saltmarsh.example', '/../x'),
  ),
  httpVersion: fc.constantFrom('1.0', '1.1', '2.0'),
  peer: fc.oneof(fc.ipV4(), fc.ipV6(), fc.constantFrom('192.168.64.7', '::ffff:192.168.64.7', '')),
  headers: fc.constant({}),
  person: fc.constantFrom('none', 'wrong'),
  overRate: fc.boolean(),
});

test('there is a verdict for every request, and the plan decides the same after a trip through JSON', () => {
  const again = prepare(JSON.parse(JSON.stringify(plan)) as typeof plan);
  fc.assert(
    fc.property(request, (one) => {
      expect(decide(again, one)).toEqual(decide(prepared, one));
    }),
    { numRuns: 2000 },
  );
});

test('only a sound request over TLS, for a name its certificate covers, from where the gate allows, reaches a service', () => {
  fc.assert(
    fc.property(request, (one) => {
      const verdict = decide(prepared, one);
      if (verdict.act !== 'forward') return;
      const road = plan.roads.find(({ authority }) => authority === verdict.headers['host']);
      expect(one.listener).toBe('https');
      // HTTP/1.0 may go without Host when the target names the authority.
      expect(one.host).toHaveLength(
        one.httpVersion === '1.0' && one.target.startsWith('http') && one.host.length === 0 ? 0 : 1,
      );
      expect(one.sni?.toLowerCase().replace(/\.$/, '')).toBe(road?.name);
      expect(isSoundTarget(verdict.target)).toBe(true);
      expect(['TRACE', 'CONNECT']).not.toContain(one.method);
      if (verdict.upstream.port === 1002) expect(one.peer).toContain('192.168.64.');
      expect(one.target.endsWith(verdict.target) || verdict.target === '/').toBe(true);
    }),
    { numRuns: 5000 },
  );
});

test('what was asked before changes no verdict', () => {
  const { plan: varied } = plannedOf(`domains: [saltmarsh.example]
front:
  address: 203.0.113.24
  edge: {networks: 192.0.2.0/24}
roads:
  log: {to: ":1001", gate: everyone, plain: true, paths: {/live: ":1002", /old: {redirect: /new}}}
  map: {to: "http://10.0.0.9:80", gate: everyone, upstream-host: other.example, cors: {origins: https://a.example}}
  cam: {to: "https://cam.example", gate: everyone, upstream-host: other.example, paths: {/live: ":1003"}}
`);
  const visit = fc.record({
    listener: fc.constantFrom<'http' | 'https'>('http', 'https'),
    name: fc.constantFrom('log', 'map', 'cam'),
    target: fc.constantFrom('/', '/live/1', '/old'),
    peer: fc.constantFrom('198.51.100.1', '2001:db8::1', '192.0.2.1'),
    headers: fc.constantFrom<Record<string, string[]>>(
      {},
      { origin: ['https://a.example'] },
      { 'x-forwarded-for': ['198.51.100.7'] },
    ),
  });
  fc.assert(
    fc.property(fc.array(visit, { minLength: 2, maxLength: 12 }), (visits) => {
      const kept = prepare(varied);
      for (const { name, ...one } of visits) {
        const host = `${name}.saltmarsh.example`;
        const asked = requestOf({ ...one, host: [host], sni: host });
        expect(decide(kept, asked)).toEqual(decide(prepare(varied), asked));
      }
    }),
  );
});

test('headers that a stranger can write change nothing', () => {
  const forged = Object.fromEntries(forgeable.map((name) => [name, ['192.168.64.7']]));
  fc.assert(
    fc.property(request, (one) => {
      expect(decide(prepared, { ...one, headers: forged })).toEqual(decide(prepared, one));
    }),
  );
});

test('a redirect keeps the target byte for byte behind a fixed place, whatever it holds', () => {
  fc.assert(
    fc.property(fc.webPath(), fc.webQueryParameters(), (path, query) => {
      const target = `/${path}?${query}`;
      fc.pre(isSoundTarget(target));
      const ask = (listener: 'http' | 'https', name: string): VerdictRequest =>
        requestOf({ listener, sni: name, host: [name], target });
      expect(decide(prepared, ask('http', 'shut.saltmarsh.example'))).toMatchObject({
        status: 308,
        location: `https://shut.saltmarsh.example:8443${target}`,
      });
      expect(decide(prepared, ask('https', 'sent.saltmarsh.example'))).toMatchObject({
        status: 307,
        location: `https://open.saltmarsh.example:8443/x${target}`,
      });
      expect(decide(prepared, ask('https', 'kept.saltmarsh.example'))).toMatchObject({ status: 403 });
    }),
  );
});

test.each([
  ['not-found', { act: 'answer', status: 404 }, { act: 'answer', status: 404 }],
  [
    '{redirect: "https://www.example.org/lost"}',
    { act: 'answer', status: 307, location: 'https://www.example.org/lost' },
    { act: 'answer', status: 307 },
  ],
  ['refuse', { act: 'close' }, { act: 'close' }],
])('unknown: %s', (unknown, onHttp, onHttps) => {
  const other = prepare(plannedOf(text.replace('front: {', `front: {unknown: ${unknown}, `)).plan);
  const ask = (listener: 'http' | 'https', sni: string | null): VerdictRequest =>
    requestOf({ listener, sni, host: ['evil.example'] });
  expect(decide(other, ask('http', null))).toMatchObject(onHttp);
  expect(decide(other, ask('https', 'open.saltmarsh.example'))).toMatchObject(onHttps);
  expect(decide(other, ask('https', 'evil.example'))).toMatchObject({ act: 'no-handshake' });
  expect(decide(other, { ...ask('https', 'open.saltmarsh.example'), httpVersion: '2.0' }).act).toBe('answer');
});

test('the steps stand in the one order, each once', () => {
  expect(steps.map(({ name }) => name).join(' ')).toBe(
    'handshake true-address sanity acme-challenge unknown-name misdirected device plain-http paused body-limit method cors-preflight rate gate leads',
  );
});
