import { proxyNames } from '../src/core/proxies/names.ts';
import type { PlannedGate } from '../src/core/gates/check.ts';
import dgram from 'node:dgram';
import { once } from 'node:events';
import net from 'node:net';
import tls from 'node:tls';
import { PassedDatagrams } from '../src/builtin/raw-udp.ts';
import { judgeRaw, type RawEvidence } from '../src/core/legs/way/raw.ts';
import { admits } from '../src/core/networks/admits.ts';
import type { PlannedPort } from '../src/core/plan/plan.ts';
import { programOf } from '../src/core/proxies/programs.ts';
import { startFront, type ProxyName, type RunningFront } from './support/fronts.ts';
import { plannedOf } from './support/plan.ts';
import { freePorts, listening, portOf } from './support/ports.ts';
import { folderWith, mileMarker } from './support/program.ts';
import { practiceHead } from './support/site.ts';

/** Raw ports: what comes to the front is passed on as it is, from whom the gate lets in; on every proxy that can. */

/** Says back what it got, once that has come to its end. */
const echo = (): net.Server =>
  net.createServer({ allowHalfOpen: true }, (socket) => {
    let heard = '';
    socket.on('error', () => undefined);
    socket.on('data', (bytes: Buffer) => (heard += bytes.toString()));
    socket.on('end', () => socket.end(`heard ${heard}`));
  });

/** All that comes back on a connection; `ended` when nothing did. */
async function talk(socket: net.Socket): Promise<string> {
  let heard = '';
  socket.on('data', (bytes: Buffer) => (heard += bytes.toString()));
  socket.on('error', () => undefined);
  socket.end('the tide');
  await new Promise<void>((resolve) => socket.once('close', () => resolve()));
  return heard === '' ? 'ended' : heard;
}

describe.each<ProxyName>(proxyNames.filter((name) => programOf(name).limits.rawPorts.includes('tcp')))(
  '%s',
  (proxy) => {
    const hasUdp = programOf(proxy).limits.rawPorts.includes('udp');
    let front: RunningFront;
    let folder: string;
    let ports: number[];
    let tide: net.Server;
    let radio: dgram.Socket;
    const port = (index: number): number => ports[index] ?? 0;
    const from = (localAddress: string, index: number): net.Socket =>
      net.connect({ host: '127.0.0.1', port: port(index), localAddress, allowHalfOpen: true });

    beforeAll(async () => {
      tide = await listening(echo(), 0);
      radio = dgram.createSocket('udp4');
      radio.on('message', (bytes, { address, port: back }) => radio.send(`heard ${bytes.toString()}`, back, address));
      radio.bind(0, '127.0.0.1');
      await once(radio, 'listening');
      ports = await freePorts(7);
      const to = `":${String(portOf(tide))}"`;
      const { head } = await practiceHead(proxy);
      folder = folderWith({
        'mile-marker.yaml': `${head}gates: {near: {networks: 127.0.0.1/32}, marsh: {networks: 127.0.0.0/8}}
roads:
  www: {redirect: "https://www.example.org", gate: everyone}
ports:
  ${String(port(0))}/tcp: {to: ${to}, gate: everyone}
  ${String(port(1))}/tcp: {to: ${to}, gate: [near, marsh]}
  ${String(port(2))}/tcp: {to: ${to}, gate: everyone, tls: true, name: www.saltmarsh.example}
  ${String(port(3))}/tcp: {to: ${to}, gate: everyone, proxy-protocol: true}
  ${String(port(4))}/tcp: {to: ":9", gate: everyone}
  ${String(port(6))}/tcp: ${to}
${hasUdp ? `  ${String(port(5))}/udp: {to: ":${String(radio.address().port)}", gate: near}\n` : ''}`,
      });
      front = await startFront(folder, proxy);
    });

    afterAll(async () => {
      await front.stop();
      tide.close();
      radio.close();
    });

    test('bytes pass both ways, also when one side has said all', async () => {
      expect(await talk(from('127.0.0.1', 0))).toBe('heard the tide');
    });

    test('a gate lets in by network, and of several every one must', async () => {
      const seen = await Promise.all(['127.0.0.1', '127.0.0.2'].map((address) => talk(from(address, 1))));
      expect(seen).toEqual(['heard the tide', 'ended']);
      // Without a word about it the gate is `home`, which leaves out the default gateway.
      expect(await talk(from('127.0.0.1', 6))).toBe('heard the tide');
    });

    test('TLS ends at the front, with the certificate of the name, and nothing older than 1.2', async () => {
      const secure = (options: tls.ConnectionOptions): tls.TLSSocket =>
        tls.connect({ host: '127.0.0.1', port: port(2), rejectUnauthorized: false, ...options });
      const socket = secure({ servername: 'www.saltmarsh.example' });
      await once(socket, 'secureConnect');
      expect(socket.getPeerCertificate().subjectaltname).toBe('DNS:www.saltmarsh.example');
      socket.destroy();
      const seen = [
        await talk(secure({ servername: 'www.saltmarsh.example' })),
        await talk(secure({})),
        await talk(secure({ maxVersion: 'TLSv1.1', minVersion: 'TLSv1', ciphers: 'ALL@SECLEVEL=0' })),
        await talk(from('127.0.0.1', 2)),
      ];
      expect(seen.slice(0, 3)).toEqual(['heard the tide', 'heard the tide', 'ended']);
      expect(seen[3]).not.toContain('heard');
    });

    test('the service is told who the visitor is', async () => {
      const socket = from('127.0.0.3', 3);
      await once(socket, 'connect');
      const { localPort } = socket;
      const heard = await talk(socket);
      expect(heard).toBe(`heard PROXY TCP4 127.0.0.3 127.0.0.1 ${String(localPort)} ${String(port(3))}\r\nthe tide`);
    });

    test('where the service is down the connection ends', async () => {
      expect(await talk(from('127.0.0.1', 4))).toBe('ended');
    });

    // What is none, `check` says.
    if (hasUdp)
      test('datagrams find their way back to who sent them, from whom the gate lets in', async () => {
        const sent: Array<[string, string]> = [
          ['127.0.0.2', 'stranger'],
          ['127.0.0.1', 'one'],
          ['127.0.0.1', 'two'],
        ];
        const heard: string[] = [];
        const visitors = await Promise.all(
          sent.map(async ([address, words]) => {
            const socket = dgram.createSocket('udp4');
            socket.on('message', (bytes) => heard.push(`${words}: ${bytes.toString()}`));
            socket.bind(0, address);
            await once(socket, 'listening');
            socket.send(words, port(5), '127.0.0.1');
            return { socket, words };
          }),
        );
        try {
          const [, ...let_in] = visitors;
          await Promise.race([
            Promise.all(let_in.map(({ socket }) => once(socket, 'message'))),
            once(AbortSignal.timeout(5000), 'abort').then(() => Promise.reject(new Error('no datagram came back'))),
          ]);
          expect(heard.sort()).toEqual(['one: heard one', 'two: heard two']);
        } finally {
          for (const { socket } of visitors) socket.close();
        }
      });

    test('verify says of each what it found, and never that UDP is well', async () => {
      const { out } = await mileMarker(['verify', '--at', '127.0.0.1', '--json'], folder);
      const { roads, findings } = JSON.parse(out) as {
        roads: Array<{ name: string; legs: Record<string, { outcome: string; kind: string }> }>;
        findings: Array<{ rule: string; roads: string[] }>;
      };
      const legsOf = (index: number, protocol = 'tcp'): string[] | undefined => {
        const legs = roads.find(({ name }) => name === `${String(port(index))}/${protocol}`)?.legs;
        return legs === undefined
          ? undefined
          : ['port', 'tls', 'access', 'service'].map((leg) => `${legs[leg]?.outcome ?? ''} ${legs[leg]?.kind ?? ''}`);
      };
      expect(legsOf(0)).toEqual(['ok listens', 'skipped raw', 'skipped no-gate', 'ok answers']);
      expect(legsOf(1)).toEqual(['ok listens', 'skipped raw', 'ok passes', 'ok answers']);
      expect(legsOf(2)).toEqual(['ok listens', 'ok practice', 'skipped no-gate', 'ok answers']);
      expect(legsOf(4)?.at(-1)).toMatch(/^wrong (closed|down)$/);
      if (hasUdp) expect(legsOf(5, 'udp')).toEqual(['untested udp', 'skipped raw', 'untested udp', 'untested udp']);
      const told = findings.filter(({ rule }) => rule.startsWith('raw-port'));
      expect(told).toEqual([expect.objectContaining({ roads: [`${String(port(4))}/tcp`] })]);
    });

    test('verify from where the gate should refuse, and from where it does not', async () => {
      const verify = async (address: string): Promise<string[]> => {
        const { out } = await mileMarker(
          ['verify', `${String(port(1))}/tcp`, '--from-address', address, '--at', '127.0.0.1', '--json'],
          folder,
        );
        const { roads } = JSON.parse(out) as { roads: Array<{ legs: Record<string, { kind: string }> }> };
        return roads.map(({ legs }) => legs['access']?.kind ?? '');
      };
      expect([await verify('127.0.0.2'), await verify('127.0.0.1')]).toEqual([['closed-silently'], ['passes']]);
    });
  },
);

test.each([
  [[], '203.0.113.9', true],
  [[{ networks: ['192.168.64.0/24'], except: ['192.168.64.1'] }], '192.168.64.9', true],
  [[{ networks: ['192.168.64.0/24'], except: ['192.168.64.1'] }], '192.168.64.1', false],
  [[{ networks: ['fd40:64::/48'], except: ['fd40:64::1'] }], 'fd40:64:0::1', false],
  [
    [
      { networks: ['192.168.64.0/24'], except: [] },
      { networks: ['192.168.64.128/25', '10.0.0.0/8'], except: [] },
    ],
    '192.168.64.130',
    true,
  ],
  [
    [
      { networks: ['192.168.64.0/24'], except: [] },
      { networks: ['192.168.64.128/25', '10.0.0.0/8'], except: [] },
    ],
    '10.0.0.1',
    false,
  ],
  [[{ networks: ['10.0.0.0/8'], except: [] }, null], '10.0.0.1', false],
] as Array<[Array<{ networks: string[]; except: string[] } | null>, string, boolean]>)(
  'gates %j and %s: %s',
  (sets, address, admitted) => {
    const parts = sets.map((set) => ({
      checks: set === null ? [] : [{ kind: 'networks', ...set }],
    })) as unknown as PlannedGate['parts'];
    expect(admits({ name: 'g', parts }, address)).toBe(admitted);
  },
);

test('explain says who gets to a raw port, line by line, and the matrix of all has it', async () => {
  const folder = folderWith({
    'mile-marker.yaml': `domains: [saltmarsh.example]
front: {address: 203.0.113.24}
engine: none
gates: {near: {networks: 192.168.64.0/24}}
roads: {www: {redirect: "https://www.example.org", gate: everyone}}
ports:
  8883/tcp: {to: ":9", gate: near, tls: true, name: www}
  27015/udp: {to: ":9", gate: everyone}
`,
  });
  const explain = async (...argv: string[]): Promise<string> => {
    const { out, err } = await mileMarker(['explain', ...argv], folder);
    return `${out}${err}`.replace(/\s+/g, ' ');
  };
  expect(await explain('8883/tcp')).toContain(
    '=> gate 4 `near`: 203.0.113.77 is in none of its networks: the connection is closed before a byte is read',
  );
  expect(await explain('8883', '--from', '192.168.64.20')).toMatch(
    /gate 4 `near`: 192\.168\.64\.20 is in its networks tls 7 ends here, .* for www\.saltmarsh\.example => leads 7 passed on to 127\.0\.0\.1:9 over TCP/,
  );
  expect(await explain('9999')).toContain('Name one of: 8883/tcp, 27015/udp');
  const all = await explain('--all');
  expect(all).toContain('8883/tcp - passes 27015/udp passes passes');
  expect(all).toContain('1 road of 1, 1 raw port of 2 open to everybody');
});

describe('what is made of connections', () => {
  const knock = (stays: boolean, admitted: boolean | null): RawEvidence['knocks'][number] => ({
    address: '203.0.113.24',
    attempt: { ok: true, value: { from: '192.0.2.1', stays, says: '' } },
    admitted,
  });
  const well = { ok: true, value: { from: '127.0.0.1', stays: true, says: '' } } as const;
  const hangsUp = { ok: true, value: { from: '127.0.0.1', stays: false, says: '' } } as const;
  const down = { ok: false, failure: { kind: 'refused', reason: 'the connection was refused' } } as const;

  test.each<[string, RawEvidence['knocks'], RawEvidence['direct'], [string, string]]>([
    ['it is let in and stays', [knock(true, true)], well, ['ok passes', 'ok answers']],
    ['it stays, and nobody can ask the service', [knock(true, true)], null, ['ok passes', 'untested no-answer']],
    ['it stays, and the service is down', [knock(true, true)], down, ['ok passes', 'wrong down']],
    [
      'it is ended, and the service is well',
      [knock(false, true)],
      well,
      ['wrong refused-here', 'untested behind-gate'],
    ],
    [
      'it is ended, as the service ends who says nothing',
      [knock(false, true)],
      hangsUp,
      ['untested no-answer', 'untested no-answer'],
    ],
    [
      'it is ended, and nobody knows as whom it came',
      [knock(false, null)],
      well,
      ['untested address-unknown', 'untested no-answer'],
    ],
    [
      'one address is let in and another rightly is not',
      [knock(true, true), knock(false, false)],
      well,
      ['ok passes', 'ok answers'],
    ],
    [
      'one is let in that should not be',
      [knock(true, true), knock(true, false)],
      well,
      ['wrong open', 'untested no-answer'],
    ],
    [
      'nobody should be let in, and nobody is',
      [knock(false, false)],
      well,
      ['ok closed-silently', 'untested behind-gate'],
    ],
    ['nobody is let in, and the service is down', [knock(false, false)], down, ['ok closed-silently', 'wrong down']],
  ])('%s', (_, knocks, direct, wanted) => {
    const { plan } = plannedOf(
      'domains: [saltmarsh.example]\nfront: {address: 127.0.0.1}\nports: {2222/tcp: ":22"}\nroads: {}\n',
    );
    const [port] = plan.ports;
    if (port === undefined) throw new Error('no port');
    const legs = judgeRaw({ port, knocks, direct, tls: null });
    const said = ['access', 'service'].map((name) => legs.find(({ leg }) => leg === name));
    expect(said.map((leg) => `${leg?.outcome ?? ''} ${leg?.kind ?? ''}`)).toEqual(wanted);
  });
});

test('datagrams go to another service as soon as the plan says so, and errors of one that is gone are none of the next', async () => {
  const services = await Promise.all(
    ['ebb', 'flood'].map(async (words) => {
      const socket = dgram.createSocket('udp4');
      socket.on('message', (_, { address, port }) => socket.send(words, port, address));
      socket.bind(0, '127.0.0.1');
      await once(socket, 'listening');
      return socket;
    }),
  );
  const [front, visitor] = [dgram.createSocket('udp4'), dgram.createSocket('udp4')];
  front.bind(0, '127.0.0.1');
  await once(front, 'listening');
  let leads = 0;
  const portNow = (): PlannedPort =>
    ({
      gate: { name: 'everyone', parts: [] },
      to: { host: '127.0.0.1', port: services[leads]?.address().port ?? 0, byName: false },
    }) as unknown as PlannedPort;
  const troubles: string[] = [];
  const passed = new PassedDatagrams(front, portNow, {
    most: 4,
    silenceMs: () => 60_000,
    onTrouble: (words) => troubles.push(words),
  });
  try {
    const heard: string[] = [];
    for (const next of [0, 0, 1, 1, 0]) {
      leads = next;
      const answer = once(visitor, 'message') as Promise<[Buffer]>;
      visitor.send('?', front.address().port, '127.0.0.1');
      heard.push((await answer)[0].toString());
    }
    expect([heard, troubles]).toEqual([['ebb', 'ebb', 'flood', 'flood', 'ebb'], []]);
  } finally {
    await passed.close();
    for (const socket of [visitor, ...services]) socket.close();
  }
});

test('one address that comes from many ports takes the place of nobody else, and what comes back is no more than the service says', async () => {
  const answers = dgram.createSocket('udp4');
  await new Promise<void>((resolve) => answers.bind(0, '127.0.0.1', resolve));
  answers.on('message', (bytes, { address, port }) => answers.send(bytes, port, address));
  const { port: there } = answers.address();
  const front = dgram.createSocket('udp4');
  await new Promise<void>((resolve) => front.bind(0, '127.0.0.1', resolve));
  const where = { file: 'map', line: 1, column: 1 };
  const to = { host: '127.0.0.1', port: there, byName: false };
  const planned = { gate: { name: 'everyone', parts: [] }, to, where } as unknown as PlannedPort;
  const passed = new PassedDatagrams(front, () => planned, {
    most: 1000,
    silenceMs: () => 60_000,
    onTrouble: () => undefined,
  });
  const { port } = front.address();
  const from = async (address: string): Promise<dgram.Socket> => {
    const socket = dgram.createSocket('udp4');
    await new Promise<void>((resolve) => socket.bind(0, address, resolve));
    return socket;
  };
  const asks = (socket: dgram.Socket): Promise<string> =>
    new Promise((resolve) => {
      socket.once('message', (bytes) => resolve(bytes.toString()));
      socket.send('tide', port, '127.0.0.1');
    });
  const polite = await from('127.0.0.6');
  expect(await asks(polite)).toBe('tide');
  const crowd = [];
  for (let count = 0; count < 200; count += 1) {
    const one = await from('127.0.0.5');
    expect(await asks(one)).toBe('tide');
    crowd.push(one);
  }
  // The service's own side: a socket for each visitor that has a place, the polite one's among them.
  const sources = new Set<number>();
  answers.on('message', (_, { port: source }) => sources.add(source));
  const before = sources.size;
  expect(await asks(polite)).toBe('tide');
  expect(sources.size - before).toBe(1);
  expect(Reflect.get(passed, 'visitors')).toHaveProperty('size', 65);
  for (const one of [polite, ...crowd]) one.close();
  await passed.close();
  answers.close();
});

describe('what check says', () => {
  const check = async (rest: string, proxy: ProxyName = 'builtin'): Promise<string[]> => {
    const { head } = await practiceHead(proxy);
    const map = `${head}gates: {wardens: {people: w}, shore: {networks: 10.0.0.0/8}}\nroads: {www: {redirect: "https://www.example.org", gate: everyone}}\nports:\n${rest}`;
    const { out } = await mileMarker(['check', '--json'], folderWith({ 'mile-marker.yaml': map, w: '' }));
    const { findings } = JSON.parse(out) as { findings: Array<{ rule: string; message: string }> };
    return findings
      .filter(({ rule, message }) => rule !== 'gate-without-effect' && /raw port|`to|`\d+|ports\./.test(message))
      .map(({ rule, message }) => `${rule}: ${message}`);
  };

  test.each([
    ['a gate with people', '8883/tcp: {to: ":9", gate: wardens}', 'needs a password'],
    ['a gate that is not there', '8883/tcp: {to: ":9", gate: shor}', 'names the gate `shor`'],
    ['TLS on UDP', '8883/udp: {to: ":9", tls: true}', '`ports.8883/udp.tls` works with TCP only'],
    ['a name without TLS', '8883/tcp: {to: ":9", name: www.saltmarsh.example}', 'only works together with `tls: true`'],
    ['a name without certificate', '8883/tcp: {to: ":9", tls: true, name: mast.owls.example}', 'is no road'],
    ['a URL', '8883/tcp: "http://192.168.64.9:80"', 'does not fit a raw port'],
    ['another protocol', '8883/udp: "tcp://192.168.64.9:80"', 'does not fit a raw port'],
    ['this machine by its name', '8883/tcp: "tcp://localhost:1883"', 'is this machine itself'],
    ['no port', '8883/tcp: weather-mast', 'does not say the port'],
    ['no such port', '70000/tcp: ":9"', 'has the key `70000/tcp`'],
    ['no protocol', '8883: ":9"', '`ports` has the key `8883`'],
  ])('%s is told with its place', async (_, line, words) => {
    const found = await check(`  ${line}\n`);
    expect(found).toEqual([expect.stringContaining(words)]);
  });

  test('a name of its own is a name for records, certificates and challenges, on which the web sees nothing', async () => {
    const { head } = await practiceHead('nginx');
    const map = `${head}roads: {www: {redirect: "https://www.example.org", gate: everyone}}
ports:\n  8883/tcp: {to: ":9", gate: everyone, tls: true, name: mast}\nacme: {directory: staging}\n`;
    const folder = folderWith({ 'mile-marker.yaml': map });
    const out = async (...argv: string[]): Promise<string> => (await mileMarker(argv, folder)).out;
    expect(await out('check')).not.toContain('mast.saltmarsh.example`');
    expect(await out('dns', 'records')).toMatch(/^mast\.saltmarsh\.example +(A|CNAME) /m);
    expect(await out('certs', 'list')).toMatch(/^mast\.saltmarsh\.example +none yet/m);
    expect(await out('explain', 'https://mast.saltmarsh.example/')).toContain('answers 503');
    const challenge = 'http://mast.saltmarsh.example/.well-known/acme-challenge/x';
    expect(await out('explain', challenge)).toMatch(/acme-challenge/);
    // It is written nowhere below `roads`, so there is nothing to resume, and a site can be added by that name.
    expect((await mileMarker(['resume', 'mast'], folder)).err).toContain('No road is called mast');
    expect(await out('add', 'mast', ':3000')).toContain('added mast.saltmarsh.example');
  });

  test('another machine is led to by its address or its name', async () => {
    expect(
      await check(
        '  8883/tcp: "tcp://192.168.64.9:1883"\n  53/udp: "udp://[2001:db8::9]:53"\n  8884/tcp: "tcp://mast.marsh.internal:1883"\n',
      ),
    ).toEqual([]);
  });

  test('what a proxy cannot pass on', async () => {
    const map = '  8883/tcp: {to: ":9", gate: shore}\n  27015/udp: {to: ":9", gate: shore}\n';
    const cannot = async (proxy: ProxyName): Promise<string[]> =>
      (await check(map, proxy)).filter((text) => text.startsWith('proxy-cannot'));
    expect(await cannot('haproxy')).toEqual([expect.stringContaining('haproxy cannot pass on UDP')]);
    expect(await cannot('httpd')).toHaveLength(2);
    expect([await cannot('nginx'), await cannot('builtin')]).toEqual([[], []]);
  });

  test('a database that everybody may connect to', async () => {
    expect(await check('  15432/tcp: {to: ":5432", gate: everyone}\n')).toEqual([
      expect.stringContaining('not-for-the-web: `15432/tcp` lets everyone connect to port 5432'),
    ]);
  });
});
