import bcrypt from 'bcryptjs';
import { programOf } from '../src/core/proxies/programs.ts';
import type { ShownDevice } from '../src/core/gates/kind.ts';
import { HeldFront, heldKinds, proxyOf, type MapText, type Row } from './support/held-against-verdict.ts';

/** Gates that ask for the certificate of a device: every request to the real servers, held against the verdict. */

const near = '127.0.0.2';
const far = '127.0.0.3';
const wardens = 'wardens.htpasswd';
const password = 'tern over the spit';
const basic: [string, string] = ['Authorization', `Basic ${Buffer.from(`edda:${password}`).toString('base64')}`];

const mapText: MapText = ({ proxy, ports, echoes }) => {
  const [birdLog] = echoes.map(({ port }) => String(port));
  const to = `to: ":${birdLog ?? ''}"`;
  return `domains: [saltmarsh.example]
front:
  address: 127.0.0.1
  proxy: ${proxy}
  ports: {http: ${String(ports.http)}, https: ${String(ports.https)}}
  mark: 127.0.0.1:${String(ports.mark)}
  home-networks: [${near}/32]
certificates:
  all: {names: [saltmarsh.example], wildcard: true}
gates:
  mine: {devices: any, except: [/ping/]}
  phone: {devices: phone, tell: device}
  either: {devices: [laptop, phone], networks: [${near}/32], need: any}
  both: {devices: [phone], networks: [${near}/32]}
  known: {devices: any, people: ${wardens}, need: any, tell: [device]}
  proven: {devices: any, people: ${wardens}}
  three: {devices: [phone], networks: [${near}/32], people: ${wardens}, need: any, except: [/ping/]}
  wardens: {people: ${wardens}}
roads:
  open: {${to}}
  mine: {${to}, gate: mine}
  phone: {${to}, gate: phone}
  either: {${to}, gate: either}
  both: {${to}, gate: both}
  known: {${to}, gate: known}
  proven: {${to}, gate: proven}
  three: {${to}, gate: three}
  two: {${to}, gate: [phone, wardens]}
  turned: {${to}, gate: [wardens, phone]}
  twice: {${to}, gate: [either, known]}
  home: {${to}, gate: [home, mine]}
  moved: {redirect: "https://open.saltmarsh.example", gate: mine}
  limited: {${to}, gate: mine, methods: [GET, POST]${programOf(proxy).limits.rate ? ', rate: 1000/s' : ''}}
  plain: {${to}, gate: mine, plain: true}
  off: {${to}, gate: mine, paused: true}
`;
};

const names = [
  'mine',
  'phone',
  'either',
  'both',
  'known',
  'proven',
  'three',
  'two',
  'turned',
  'twice',
  'home',
  'moved',
];
const phone: ShownDevice = { state: 'good', name: 'phone' };
const shown: ShownDevice[] = [
  { state: 'none' },
  phone,
  { state: 'good', name: 'laptop' },
  { state: 'removed' },
  { state: 'ended' },
  { state: 'foreign' },
];

describe.each(heldKinds)('%s', (kind) => {
  let held: HeldFront;

  beforeAll(async () => {
    held = await HeldFront.start(kind, mapText, { [wardens]: `edda:${bcrypt.hashSync(password, 4)}\n` });
  }, 60_000);
  afterAll(() => held.stop());

  const row = (name: string, device: ShownDevice, more: Partial<Row> = {}): Row => ({
    what: `${name} ${JSON.stringify(device)} ${JSON.stringify(more)}`,
    host: [`${name}.saltmarsh.example:${String(held.ports[more.listener ?? 'https'])}`],
    from: far,
    device,
    ...more,
  });

  test.each(shown)('a device that is %j, at every gate, near and far, with and without a password', async (device) => {
    for (const name of names)
      for (const from of [near, far]) {
        await held.holds(row(name, device, { from }));
        await held.holds(row(name, device, { from, person: 'edda', headers: [basic] }));
      }
    for (const name of ['mine', 'three']) {
      await held.holds(row(name, device, { target: '/ping/x' }));
      await held.holds(row(name, device, { target: '//ping/x' }));
    }
    for (const name of ['mine', 'limited', 'off', 'open'])
      for (const version of ['1.1', '2.0'] as const) {
        await held.holds(row(name, device, { version, target: '/a%2Fb?c=1' }));
        await held.holds(
          row(name, device, { version, method: 'POST', body: 'hello', headers: [['Content-Length', '5']] }),
        );
        await held.holds(row(name, device, { version, method: 'DELETE' }));
      }
    await held.holds(row('plain', device, { listener: 'http' }));
    await held.holds(row('mine', device, { listener: 'http' }));
  });

  test('what was shown for one name counts for no other', async () => {
    for (const device of [{ state: 'none' }, phone] as ShownDevice[])
      for (const version of ['1.1', '2.0'] as const) {
        for (const name of ['mine', 'phone', 'either'])
          await held.holds(row(name, device, { version, sni: 'open.saltmarsh.example' }));
        await held.holds(row('open', device, { version, sni: 'mine.saltmarsh.example' }));
        await held.holds(row('phone', device, { version, sni: 'mine.saltmarsh.example' }));
        await held.holds(row('mine', device, { version, sni: 'MINE.saltmarsh.example' }));
      }
  });

  test('which device it is, is told where the gate says so, and by nobody else', async () => {
    const forged: Array<[string, string]> = [
      ['Remote-Device', 'keeper'],
      ['remote_device', 'keeper'],
      ['Client-Cert', ':MIIB:'],
      ['X-SSL-Client-Verify', 'SUCCESS'],
      ['X-SSL-Client-S-DN', 'CN=phone'],
      ['SSL-Client-Cert', 'x'],
    ];
    for (const device of shown)
      for (const name of ['phone', 'known', 'mine', 'open', 'three'])
        for (const from of [near, far]) await held.holds(row(name, device, { from, headers: forged }));
    const told = async (name: string): Promise<string | undefined> => {
      await held.holds(row(name, phone));
      return held.echoes[0]?.seen[0]?.headers['remote-device'];
    };
    expect([await told('phone'), await told('known'), await told('mine')]).toEqual(['phone', 'phone', undefined]);
  });

  test('a refusal says why, or is a handshake that ends', async () => {
    for (const [state, words] of [
      ['removed', /was removed/],
      ['ended', /has ended/],
      ['foreign', /is not known here/],
    ] as const) {
      const outcome = await held.send(row('mine', { state }));
      if (proxyOf(kind) === 'httpd') expect(outcome.kind).toBe('closed');
      else
        expect([outcome.kind, outcome.kind === 'answer' && outcome.body]).toEqual([
          'answer',
          expect.stringMatching(words),
        ]);
    }
  });

  test('a WebSocket passes like everything else', async () => {
    const upgrade: Array<[string, string]> = [
      ['Connection', 'Upgrade'],
      ['Upgrade', 'websocket'],
      ['Sec-WebSocket-Version', '13'],
      ['Sec-WebSocket-Key', 'c2FsdG1hcnNoIHBsb3Zlcg=='],
    ];
    for (const device of shown) await held.holds(row('phone', device, { headers: upgrade }));
  });
});
