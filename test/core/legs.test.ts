import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import fc from 'fast-check';
import { allCards } from '../../src/core/findings/all-cards.ts';
import { differenceOf, hstsProblem, hstsResult } from '../../src/core/legs/way/redirect.ts';
import { edgeRows } from '../faults/rows-edge.ts';
import { healthyRows } from '../faults/rows-healthy.ts';
import { networkRows } from '../faults/rows-network.ts';
import { nginxRows } from '../faults/rows-nginx.ts';
import { redirectRows } from '../faults/rows-redirect.ts';
import { serverRows } from '../faults/rows-servers.ts';
import { serviceRows } from '../faults/rows-service.ts';
import { wayRows } from '../faults/rows-way.ts';
import { besideZone, judgeDns, type DnsInput } from '../../src/core/legs/way/dns.ts';
import { bad, explainAway, findingsOf, ok, severityOf, type LegResult, type Problem } from '../../src/core/legs/leg.ts';
import { withoutEdge } from '../../src/core/legs/passing/edge.ts';
import { noHairpin } from '../../src/core/legs/way/home.ts';
import { judgeBehindGate } from '../../src/core/legs/gate/behind-gate.ts';
import { bypassedProblems } from '../../src/core/legs/gate/bypasses.ts';
import { judgeOpenPorts } from '../../src/core/legs/gate/open-ports.ts';
import type { Answer } from '../../src/core/legs/answer.ts';
import { judgePorts } from '../../src/core/legs/way/port.ts';
import { vantageWords } from '../../src/core/legs/way/vantage.ts';
import { frontWords } from '../../src/core/proxies/front-words.ts';
import { unite, type LegAt } from '../../src/core/legs/unite.ts';
import { plannedOf } from '../support/plan.ts';

const front = ['203.0.113.24', '2001:db8:40::24'];

test.each([
  [['203.0.113.24', '2001:db8:40::24'], 'ok', null],
  [
    ['198.51.100.7'],
    'wrong',
    'Change the record to A 203.0.113.24 and AAAA 2001:db8:40::24, or correct `front.address` if the front has moved.',
  ],
  [
    ['192.168.64.10'],
    'wrong',
    'Change the public record to A 203.0.113.24 and AAAA 2001:db8:40::24. Private addresses belong in the DNS of your home only.',
  ],
  [['203.0.113.24', '2001:db8:40::24', '198.51.100.7'], 'wrong', 'Remove the record with 198.51.100.7.'],
  [['203.0.113.24'], 'warning', 'Add this record: AAAA 2001:db8:40::24'],
])('DNS says %j: %s', (addresses, outcome, remedy) => {
  const leg = judgeDns({
    name: 'nestcam.saltmarsh.example',
    evidence: { kind: 'found', addresses },
    expected: front,
    resolver: 'r',
  });
  expect(leg.outcome).toBe(outcome);
  const [finding] = findingsOf([{ road: 'nestcam.saltmarsh.example', legs: [leg] }]);
  expect(finding?.remedy ?? null).toBe(remedy);
});

test('the servers of the zone decide; what only this machine finds otherwise is a matter of this machine', () => {
  const input = (addresses: string[]): DnsInput => ({
    name: 'nestcam.saltmarsh.example',
    evidence: { kind: 'found', addresses },
    expected: front,
    resolver: 'r',
  });
  const judged = (addresses: string[]): LegResult => judgeDns(input(addresses));
  const [right, stale] = [judged([...front]), ['198.51.100.7']];
  const told = (leg: LegResult): unknown[] =>
    findingsOf([{ road: 'nestcam.saltmarsh.example', legs: [leg] }]).map(({ severity, message }) => [
      severity,
      message,
    ]);
  // Nothing is known of the zone; it is wrong too; it is right.
  expect(besideZone(judged(stale), undefined, input(stale))).toEqual(judged(stale));
  expect(besideZone(right, judged(stale), input([...front]))).toEqual(judged(stale));
  expect(besideZone(right, right, input([...front]))).toBe(right);
  expect(told(besideZone(judged(stale), right, input(stale)))).toEqual([
    [
      'warning',
      'This machine finds nestcam.saltmarsh.example at 198.51.100.7, but the zone’s servers say 203.0.113.24, 2001:db8:40::24.',
    ],
  ]);
});

test('HSTS that reaches over plain roads, and HSTS that is to be forgotten, are told whatever else the map says', () => {
  const { plan } = plannedOf(`domains: [saltmarsh.example]
front: {address: 203.0.113.24}
roads:
  saltmarsh.example: {to: ":1", gate: everyone}
  tides: {to: ":2", gate: everyone, hsts: forget}
`);
  const [bare, tides] = plan.roads;
  if (bare === undefined || tides === undefined) throw new Error('no roads');
  const sends = (value: string): Answer => ({ status: 200, headers: [['strict-transport-security', value]], body: '' });
  const said = (road: typeof bare, value: string, below: string[]): string[] =>
    hstsProblem(road, sends(value), below).map(({ say }) => say);
  expect(said(bare, 'max-age=63072000; includeSubDomains', ['log.saltmarsh.example'])).toEqual(['subdomains']);
  expect(said(bare, 'max-age=63072000; includeSubDomains', [])).toEqual([]);
  expect([said(tides, 'max-age=3600', []), said(tides, 'max-age=0', [])]).toEqual([['kept'], []]);
});

test.each([
  ['', 'note', 'the default is max-age=86400'],
  [', hsts: 1d', 'warning', 'the map asks for max-age=86400'],
])('HSTS that a map%s wants and a front does not send is a %s', (key, severity, words) => {
  const { plan } = plannedOf(
    `domains: [saltmarsh.example]\nfront: {address: 203.0.113.24}\nacme: {directory: production, challenge: http}\nroads: {nestcam: {to: ":9", gate: everyone${key}}}\n`,
  );
  const [road] = plan.roads;
  if (road === undefined) throw new Error('no road');
  const front = { status: 200, headers: [], body: '' };
  const plain = { address: 'a', part: '/', result: ok('redirect', 'redirects', 308) };
  const leg = unite([plain, { ...plain, result: hstsResult(hstsProblem(road, front, []), true) }]) ?? plain.result;
  expect(leg.outcome).toBe(severity === 'note' ? 'ok' : 'warning');
  expect(findingsOf([{ road: road.name, legs: [leg] }], frontWords(plan, 'docker compose'))).toMatchObject([
    { rule: 'hsts-not-sent', severity, message: expect.stringContaining(words) },
  ]);
});

const failed = (kind: 'refused' | 'silent' | 'unreachable') => ({ ok: false as const, failure: { kind, reason: 'x' } });
const open = { ok: true as const, value: '' };

test('a port that this machine cannot try says nothing about visitors; one that is closed is told by address and kind', () => {
  const leg = judgePorts([
    { address: '203.0.113.24', port: 443, listener: 'https', attempt: open, manner: 'speaks' },
    { address: '203.0.113.24', port: 80, listener: 'http', attempt: failed('silent'), manner: null },
    { address: '2001:db8:40::24', port: 443, listener: 'https', attempt: failed('unreachable'), manner: null },
  ]);
  expect(leg.outcome).toBe('wrong');
  expect(
    findingsOf([
      { road: 'a', legs: [leg] },
      { road: 'b', legs: [leg] },
    ]).map(({ rule, severity, cause, roads }) => [rule, severity, cause, roads]),
  ).toEqual([
    ['port-closed', 'error', 'front:80', ['a', 'b']],
    ['port-not-judged', 'note', 'front:443/v6', ['a', 'b']],
  ]);
  expect(
    judgePorts([
      { address: front[1] ?? '', port: 443, listener: 'https', attempt: failed('unreachable'), manner: null },
    ]).outcome,
  ).toBe('unsure');
});

test('whatever explains whatever, nothing that is wrong gets lost: neither how bad it is, nor a road that it breaks', () => {
  const weight = { error: 0, warning: 1, note: 2 };
  const keys = (text: string): string[] => [...text.matchAll(/\{([a-zA-Z]+)\}/g)].map(([, key = '']) => key);
  const explained = allCards.flatMap(({ explains = [] }) => explains);
  const related = allCards.filter(({ id, explains }) => explains !== undefined || explained.includes(id));
  const problem = fc.constantFrom(...related).map((card): Problem => {
    const [[say = '', words] = []] = Object.entries(card.messages);
    const data = Object.fromEntries(keys(`${words?.message ?? ''} ${words?.remedy ?? ''}`).map((key) => [key, 'x']));
    return { card, say, data, cause: card.id };
  });
  const road = fc.array(problem, { maxLength: 6 });
  fc.assert(
    fc.property(fc.array(road, { minLength: 1, maxLength: 4 }), (roads) => {
      const tested = roads.map((problems, index) => ({
        road: `r${String(index)}`,
        legs: problems.map((one) => bad('service', 'unclear', one)),
      }));
      const { told, away } = explainAway(tested);
      const findings = findingsOf(told);
      const ofRoad = (name: string): number[] =>
        findings.filter(({ roads: names }) => names.includes(name)).map(({ severity }) => weight[severity]);
      for (const [index, problems] of roads.entries()) {
        const worst = Math.min(9, ...problems.map((one) => weight[severityOf(one)]));
        if (worst < weight.note) expect(Math.min(...ofRoad(`r${String(index)}`))).toBeLessThanOrEqual(worst);
      }
      // What is not told follows from something that is, at the same road.
      for (const { road: name, by } of away)
        expect(
          told.find((one) => one.road === name)?.legs.some((leg) => leg.problems.some(({ card }) => card.id === by)),
        ).toBe(true);
    }),
    { numRuns: 2000 },
  );
});

test('whatever is found at one address or part is in the result, with where it is so', () => {
  const severities = ['error', 'warning', 'note'] as const;
  const problem = fc
    .tuple(fc.constantFrom(...allCards.slice(0, 4)), fc.constantFrom('a', 'b'), fc.constantFrom(...severities))
    .map(([card, cause, severity]): Problem => ({ card, say: 's', data: {}, cause, severity }));
  const at = fc.tuple(fc.constantFrom('v4', 'v6'), fc.constantFrom('/', '/api'), fc.array(problem, { maxLength: 3 }));
  const outcomes = { error: 'wrong', warning: 'warning', note: 'unsure' } as const;
  const rank = ['wrong', 'warning', 'unsure', 'ok'];
  fc.assert(
    fc.property(fc.uniqueArray(at, { minLength: 1, selector: ([a, p]) => a + p }), (all) => {
      const results = all.map(([address, part, problems]): LegAt => {
        const worst = problems.map(severityOf).sort((a, b) => severities.indexOf(a) - severities.indexOf(b))[0];
        const outcome = worst === undefined ? 'ok' : outcomes[worst];
        return { address, part, result: { leg: 'access', outcome, kind: 'passes', detail: null, problems } };
      });
      const united = unite(results);
      const isSame = (a: Problem, b: Problem): boolean => a.card === b.card && a.cause === b.cause;
      for (const { address, part, result } of results)
        for (const one of result.problems) {
          const kept = united?.problems.filter((other) => isSame(one, other)) ?? [];
          expect(kept).toHaveLength(1);
          expect(kept.map(({ onlyAt }) => onlyAt ?? [address])).toEqual([expect.arrayContaining([address])]);
          expect(kept.map(({ parts }) => parts ?? [part])).toEqual([expect.arrayContaining([part])]);
          expect(
            kept.every((other) => severities.indexOf(severityOf(other)) <= severities.indexOf(severityOf(one))),
          ).toBe(true);
        }
      // Nothing is made up: what is said to be only somewhere is so there and nowhere else.
      for (const one of united?.problems ?? []) {
        const where = results.filter(({ result }) => result.problems.some((other) => isSame(one, other)));
        expect(new Set(one.onlyAt ?? results.map(({ address }) => address))).toEqual(
          new Set(where.map(({ address }) => address)),
        );
      }
      const worst = Math.min(...results.map(({ result }) => rank.indexOf(result.outcome)));
      expect(united?.outcome).toBe(rank[worst]);
    }),
    { numRuns: 1000 },
  );
});

test('what a card explains are cards, nothing explains itself by way of others, and every fault stands in the table', () => {
  const ids = allCards.map(({ id }) => id);
  const explained = new Map(allCards.map(({ id, explains = [] }) => [id, explains]));
  const below = (id: string, path: readonly string[]): string[] =>
    (explained.get(id) ?? []).flatMap((next) => {
      expect(ids).toContain(next);
      expect(path).not.toContain(next);
      return [next, ...below(next, [...path, next])];
    });
  for (const id of ids) below(id, [id]);
  // What opens a hole is told whatever else is.
  const holes = ['gate-open', 'stranger-sees-something', 'front-bypassed', 'tls-too-old', 'pause-ignored'];
  expect([...explained.values()].flat().filter((id) => holes.includes(id))).toEqual([]);
  const page = readFileSync(join(__dirname, '../../docs/faults.md'), 'utf8');
  const rows = [
    ...wayRows,
    ...edgeRows,
    ...redirectRows,
    ...serviceRows,
    ...nginxRows,
    ...networkRows,
    ...serverRows,
    ...healthyRows,
  ];
  const missing = rows.filter(({ name }) => !page.replaceAll('\\', '').includes(`| ${name} `));
  expect(missing.map(({ name }) => name)).toEqual([]);
});

test('a place that is written in another way is the same place; another scheme, host, port, path or query is not', () => {
  const label = fc.stringMatching(/^[a-z]{1,8}$/);
  const path = fc
    .array(fc.stringMatching(/^[a-zA-Z0-9%._~-]{1,6}$/), { maxLength: 3 })
    .map((all) => `/${all.join('/')}`);
  const query = fc
    .option(fc.stringMatching(/^[a-z0-9=&%]{1,8}$/), { nil: null })
    .map((text) => (text === null ? '' : `?${text}`));
  const port = fc.option(fc.integer({ min: 1, max: 65_535 }), { nil: null });
  fc.assert(
    fc.property(label, port, path, query, (name, number, at, asked) => {
      const host = `${name}.saltmarsh.example`;
      const shown = number === null ? '' : `:${String(number)}`;
      const url = `https://${host}${shown}${at}${asked}`;
      const same = [url, `HTTPS://${host.toUpperCase()}${shown}${at}${asked}`, `${url}#part`];
      if (number === null) same.push(`https://${host}:443${at}${asked}`, `https://${host}.${at}${asked}`);
      for (const one of same) expect([one, differenceOf(one, url)]).toEqual([one, null]);
      const others = {
        plain: url.replace('https:', 'http:'),
        host: url.replace(host, `x${host}`),
        port: `https://${host}:${String((number ?? 443) === 8443 ? 8444 : 8443)}${at}${asked}`,
        path: `https://${host}${shown}${at}/more${asked}`,
        query: `${url}${asked === '' ? '?' : '&'}more`,
      };
      for (const [way, one] of Object.entries(others)) expect([one, differenceOf(one, url)]).toEqual([one, way]);
      for (const one of [at, `//${host}${at}`, 'mailto:a@b.example', '']) expect(differenceOf(one, url)).toBe('host');
    }),
  );
});

const [homeRoad] = plannedOf('domains: [saltmarsh.example]\nfront: {address: 203.0.113.24}\nroads: {log: ":2"}').plan
  .roads;

test.each([
  [false, '192.168.64.10', 'router', '192.168.64.10'],
  [true, 'fd00:40::10', 'routerKnown', '"fd00:40::10"'],
])('a gate that refuses this machine through the router, home written: %s', (isWritten, address, say, home) => {
  const router = { address, isWritten, at: 'PLACE' };
  const { problems } = judgeBehindGate(homeRoad as NonNullable<typeof homeRoad>, null, {
    isHere: true,
    isSound: true,
    router,
  });
  expect(problems.map((one) => [one.say, one.data])).toEqual([[say, { gate: 'home', at: 'PLACE', home }]]);
});

test('where it was tested from: the own machine through its router is not outside', () => {
  const at = ['203.0.113.24'];
  const words = vantageWords({ from: '192.168.64.10', place: 'router', seenAs: null, at });
  expect(words).toBe(
    'Tested from this machine (192.168.64.10), which runs the front, through the router, at 203.0.113.24.',
  );
});

test.each([
  [[], false, ['outside warning', 'outside warning']],
  [['203.0.113.24'], false, ['here note', 'here warning']],
  [['203.0.113.24'], true, ['walled note', 'walled note']],
])('open ports seen from a machine with %j, kept firewall %s', (here, isWalled, expected) => {
  const open = [22, 9000].map((port) => ({ address: '203.0.113.24', port }));
  const published = new Map([[9000, 'container console']]);
  const found = judgeOpenPorts({ open, unproven: [], published, fromHome: false, here, isWalled });
  const by = { outside: 'To close it', here: 'install firewall', walled: 'See it as strangers do' };
  const say = (remedy: string): string => Object.entries(by).find(([, words]) => remedy.includes(words))?.[0] ?? '';
  expect(found.map(({ remedy, severity }) => `${say(remedy)} ${severity}`)).toEqual(expected);
});

test('what a cluster opens is not to be published on loopback', () => {
  const road = homeRoad as NonNullable<typeof homeRoad>;
  const [part] = road.parts;
  const service = { cluster: { name: 'log' } } as never;
  const placed = { ...road, parts: [{ ...part, resolution: { ...part?.resolution, service } }] } as typeof road;
  const found = [{ part: '/', scheme: 'http', address: '203.0.113.24', port: 8085, isHere: true }] as const;
  const close = [road, placed].map((one) => String(bypassedProblems(one, found)[0]?.data['close']));
  expect(close).toEqual([
    expect.stringContaining('port 8085 on loopback'),
    expect.stringContaining('firewall on each node'),
  ]);
});

test('behind a router that leads nobody back, the remedy is what stands on the map or is to be written there', () => {
  const ports = { http: 80, https: 443 };
  const said = (home: string[]): string => {
    const [told] = findingsOf([
      {
        road: 'tides',
        legs: [bad('port', 'listens', noHairpin(['203.0.113.24'], ['192.168.64.10'], { home, ports }))],
      },
    ]);
    return `${told?.severity ?? ''}: ${told?.message ?? ''} ${told?.remedy ?? ''}`;
  };
  const writes = 'write under `front` in the map: home: [192.168.64.10].';
  expect([said([]), said(['192.168.64.10'])]).toEqual([
    expect.stringContaining(writes),
    expect.not.stringContaining(writes),
  ]);
});

test('the edge is blamed for what is right at the front, and for nothing else', () => {
  const problem = (id: string, severity: 'error' | 'note' = 'error'): Problem => {
    const card = allCards.find((one) => one.id === id);
    if (card === undefined) throw new Error(id);
    return { card, say: 'cookie', data: { names: 'tides', cookie: 'seen', upstream: 'a' }, cause: id, severity };
  };
  const leg = (outcome: LegResult['outcome'], ...problems: Problem[]): LegResult => ({
    leg: 'service',
    outcome,
    kind: 'answers',
    detail: null,
    problems,
  });
  const told = problem('front-alters-answer');
  const rules = (past: LegResult[], through = told): string[] =>
    withoutEdge('tides', [leg('wrong', through)], past, { names: 'tides' }).flatMap(({ problems }) =>
      problems.map(({ card }) => card.id),
    );
  expect(rules([leg('ok')])).toEqual(['edge-alters']);
  expect(rules([leg('wrong', told)])).toEqual([told.card.id]);
  // What was not tested past the edge, or is wrong there in another way, proves nothing.
  for (const past of [[], [leg('skipped')], [leg('untested')], [leg('unsure')], [leg('wrong')]])
    expect(rules(past)).toEqual([told.card.id]);
  expect(rules([leg('ok')], problem('front-alters-answer', 'note'))).toEqual([told.card.id]);
});
