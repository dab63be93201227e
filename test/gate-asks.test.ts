import { programOf } from '../src/core/proxies/programs.ts';
import bcrypt from 'bcryptjs';
import type { ServiceWord } from '../src/core/gates/kind.ts';
import { wordOf } from '../src/core/rehearsal/sent.ts';
import { HeldFront, heldKinds, proxyOf, type MapText, type Row } from './support/held-against-verdict.ts';

/** Gates that ask a service: every request to the real servers, held against the verdict. */

const near = '127.0.0.2';
const far = '127.0.0.3';
const wardens = 'wardens.htpasswd';
const password = 'tern over the spit';
const basic: [string, string] = ['Authorization', `Basic ${Buffer.from(`edda:${password}`).toString('base64')}`];

const mapText: MapText = ({ proxy, ports, echoes }) => {
  const [birdLog, , desk] = echoes.map(({ port }) => String(port));
  const asks = `asks: ":${desk ?? ''}/check", tell: [Remote-User, X-Roles]`;
  return `domains: [saltmarsh.example]
front:
  address: 127.0.0.1
  proxy: ${proxy}
  ports: {http: ${String(ports.http)}, https: ${String(ports.https)}}
  mark: 127.0.0.1:${String(ports.mark)}
  home-networks: [${near}/32]
gates:
  signed-in: {${asks}, except: [/ping/]}
  either: {${asks}, networks: [${near}/32], need: any}
  both: {${asks}, networks: [${near}/32]}
  dead: {asks: ":${String(ports.dead)}/check"}
  wardens: {people: ${wardens}}
roads:
  desk: {to: ":${desk ?? ''}", gate: everyone}
  log: {to: ":${birdLog ?? ''}", gate: signed-in}
  either: {to: ":${birdLog ?? ''}", gate: either}
  both: {to: ":${birdLog ?? ''}", gate: both}
  dead: {to: ":${birdLog ?? ''}", gate: dead}
  two: {to: ":${birdLog ?? ''}", gate: [signed-in, wardens]}
  turned: {to: ":${birdLog ?? ''}", gate: [wardens, signed-in]}
  moved: {redirect: "https://desk.saltmarsh.example", gate: signed-in}
  limited: {to: ":${birdLog ?? ''}", gate: signed-in, methods: [GET, POST], rate: 1000/s}
  plain: {to: ":${birdLog ?? ''}", gate: signed-in, plain: true}
`;
};

const words: ServiceWord[] = [
  ...[200, 204, 299].map((status) => ({ status, told: { 'remote-user': 'edda', 'x-roles': 'keeper, warden' } })),
  ...[401, 403].map((status) => ({ status, told: { 'remote-user': 'nobody' } })),
  ...[301, 302, 303, 307, 308].map((status) => ({
    status,
    location: 'https://desk.saltmarsh.example/in?back=%2F',
    told: {},
  })),
  ...[302, 400, 404, 429, 500, 503, 0].map((status) => ({ status, told: {} })),
];
const passes = words[0] ?? { status: 200, told: {} };

const kinds = heldKinds.filter((kind) => programOf(proxyOf(kind)).limits.checks.includes('asks'));

describe.each(kinds)('%s', (kind) => {
  let held: HeldFront;
  let said = '';

  beforeAll(async () => {
    const files = { [wardens]: `edda:${bcrypt.hashSync(password, 4)}\n` };
    held = await HeldFront.start(kind, mapText, files);
    said = `:${String(held.echoes[2]?.port)}/check`;
  }, 60_000);
  afterAll(() => held.stop());

  const row = (name: string, word: ServiceWord | null, more: Partial<Row> = {}): Row => ({
    what: `${name} ${String(word?.status)} ${JSON.stringify(more)}`,
    host: [`${name}.saltmarsh.example:${String(held.ports[more.listener ?? 'https'])}`],
    from: far,
    ...more,
    headers: [...(word === null ? [] : [wordOf(word)]), ...(more.headers ?? [])],
    ...(word === null ? {} : { words: { [said]: word } }),
  });

  test.each(words)('the word %j decides, over HTTP/1 and HTTP/2, by any method, with a body', async (word) => {
    for (const version of ['1.1', '2.0'] as const) {
      await held.holds(row('log', word, { version, target: '/a%2Fb?c=1' }));
      await held.holds(
        row('log', word, { version, method: 'POST', body: 'hello', headers: [['Content-Length', '5']] }),
      );
    }
    for (const name of ['either', 'both', 'moved', 'limited']) await held.holds(row(name, word));
    await held.holds(row('plain', word, { listener: 'http' }));
    for (const name of ['two', 'turned']) {
      await held.holds(row(name, word, { person: 'edda', headers: [basic] }));
      await held.holds(row(name, word));
    }
    for (const name of ['either', 'both']) await held.holds(row(name, word, { from: near }));
  });

  test('nobody is asked about what passes or is refused without: excepted paths, a network that is enough or is missing, a method', async () => {
    const desk = held.echoes[2];
    const asked = async (one: Row): Promise<number> => {
      if (desk !== undefined) desk.questions.length = 0;
      await held.holds(one);
      return desk?.questions.length ?? -1;
    };
    const refused = { status: 403, told: {} };
    expect(await asked(row('log', refused, { target: '/ping/x' }))).toBe(0);
    expect(await asked(row('either', refused, { from: near }))).toBe(0);
    expect(await asked(row('both', refused))).toBe(0);
    expect(await asked(row('limited', refused, { method: 'DELETE' }))).toBe(0);
    // nginx asks once more, for a visitor who is to get the whole answer.
    expect(await asked(row('log', passes))).toBe(1);
    expect(await asked(row('log', refused))).toBe(proxyOf(kind) === 'nginx' ? 2 : 1);
  });

  test('the service is asked by GET, without the body, who wants what; nothing that a visitor says of himself is told', async () => {
    const desk = held.echoes[2];
    if (desk === undefined) throw new Error('no service to ask');
    const forged: Array<[string, string]> = [
      ['X-Original-URL', 'https://elsewhere.example/'],
      ['X-Original-Method', 'GET'],
      ['X-Forwarded-For', '203.0.113.9'],
      ['X-Forwarded-Uri', '/else'],
      ['Remote-User', 'keeper'],
      ['X-Roles', 'keeper'],
      ['Cookie', 'sid=1'],
      ['If-None-Match', '"x"'],
      ['Range', 'bytes=0-1'],
      ['Content-Length', '5'],
    ];
    for (const word of [passes, { status: 401, told: {} }]) {
      desk.questions.length = 0;
      const one = row('log', word, { method: 'PUT', target: '/a?b=1', body: 'hello', headers: forged });
      await held.holds(one);
      expect(desk.questions).not.toEqual([]);
      for (const { method, target, headers } of desk.questions) {
        expect([method, target]).toEqual(['GET', '/check']);
        expect(headers).toMatchObject({
          host: `127.0.0.1:${String(desk.port)}`,
          'x-original-method': 'PUT',
          'x-original-url': `https://log.saltmarsh.example:${String(held.ports.https)}/a?b=1`,
          'x-forwarded-method': 'PUT',
          'x-forwarded-uri': '/a?b=1',
          'x-forwarded-for': far,
          'x-forwarded-proto': 'https',
          cookie: 'sid=1',
        });
        for (const name of ['remote-user', 'x-roles', 'if-none-match', 'range', 'content-length', 'transfer-encoding'])
          expect([name, headers[name]]).toEqual([name, undefined]);
      }
    }
  });

  test('a visitor who is not let in gets the page and all cookies of the service', async () => {
    const outcome = await held.send(row('log', { status: 401, told: {} }, { version: '2.0' }));
    if (outcome.kind !== 'answer') throw new Error(outcome.kind);
    expect([outcome.status, outcome.body]).toEqual([401, 'please sign in\n']);
    expect(outcome.headers['set-cookie']).toMatch(/a=1.*b=2/);
    // What a service says of itself goes no further, on a road without a service of its own either.
    for (const name of ['log', 'moved']) {
      const said = await held.send(row(name, { status: 403, told: {} }));
      const headers = said.kind === 'answer' ? said.headers : {};
      expect([name, headers['set-cookie'] === undefined, headers['x-powered-by'], headers['server']]).toEqual([
        ...[name, false, undefined],
        kind.startsWith('nginx') ? 'nginx' : undefined,
      ]);
    }
  });

  test('a WebSocket is asked about like everything else', async () => {
    const upgrade: Array<[string, string]> = [
      ['Connection', 'Upgrade'],
      ['Upgrade', 'websocket'],
      ['Sec-WebSocket-Version', '13'],
      ['Sec-WebSocket-Key', 'c2FsdG1hcnNoIHBsb3Zlcg=='],
    ];
    for (const word of [passes, { status: 403, told: {} }, { status: 0, told: {} }])
      await held.holds(row('log', word, { headers: upgrade }));
  });

  test('a service that changes the protocol, or hangs up in the middle, lets nobody in', async () => {
    for (const status of [101, 0]) {
      const word = { status, told: {} };
      await held.holds(row('log', word));
      await held.holds(row('log', word, { version: '2.0', target: '/again' }));
    }
  });

  test('a service that is not there lets nobody in', async () => {
    const outcome = await held.send(row('dead', null));
    expect(outcome.kind === 'answer' ? outcome.status : outcome.kind).toBe(503);
    expect(held.echoes[0]?.seen).toEqual([]);
  });
});
