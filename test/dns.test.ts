import { createSocket } from 'node:dgram';
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { decode, encode, RECURSION_AVAILABLE, type Answer } from 'dns-packet';
import fc from 'fast-check';
import { queryServer } from '../src/adapters/dns/query.ts';
import { readBinding } from '../src/adapters/probe/stun.ts';
import { updateSets } from '../src/adapters/dns/update.ts';
import { dig, startNameServer } from './support/authority.ts';
import { tsigKey } from './support/acme-site.ts';
import { freePorts } from './support/ports.ts';
import { folderWith, launch, mileMarker, says } from './support/program.ts';

/** What must stand in the zones and what does: against real authoritative servers, one of them lagging behind. */

const first = '127.0.53.5';
const second = '127.0.53.6';
const silent = '127.0.53.7';
const above = '127.0.53.9';
const head = (serial: number, ...servers: string[]): string =>
  `@ 300 SOA ns1.marsh-dns.example. keeper.saltmarsh.example. ${String(serial)} 60 60 60 60\n${servers.map((name) => `@ 300 NS ${name}.marsh-dns.example.\n`).join('')}`;

const good = `@ 300 A 203.0.113.24
@ 300 AAAA 2001:db8:40::24
www 300 CNAME @
`;
const saltmarsh = `$ORIGIN saltmarsh.example.
${head(7, 'ns1', 'ns2')}${good}sightings 300 CNAME www
nestcam 300 CNAME @
roster 300 A 203.0.113.24
hut 300 A 192.168.64.10
moved 300 A 198.51.100.9
dangling 300 CNAME nowhere.saltmarsh.example.
ring 300 CNAME ring2
ring2 300 CNAME ring
`;
const zones = {
  example: `$ORIGIN example.
${head(1, 'ns4')}saltmarsh 300 NS ns1.marsh-dns.example.
saltmarsh 300 NS ns2.marsh-dns.example.
reedbed 300 NS ns1.marsh-dns.example.
reedbed 300 NS ns9.marsh-dns.example.
marsh-dns 300 NS ns1.marsh-dns.example.
ns1.marsh-dns 300 A ${first}
ns2.marsh-dns 300 A ${second}
`,
  'marsh-dns.example': `$ORIGIN marsh-dns.example.
${head(1, 'ns1')}ns1 300 A ${first}
ns2 300 A ${second}
ns3 300 A ${silent}
ns4 300 A ${above}
`,
  'saltmarsh.example': saltmarsh,
  'reedbed.example': `$ORIGIN reedbed.example.
${head(3, 'ns1', 'ns3')}* 300 CNAME saltmarsh.example.
sightings 300 CNAME saltmarsh.example.
`,
  'barred.example': `$ORIGIN barred.example.
${head(1, 'ns1')}@ 300 CAA 0 issue "authority.marsh-dns.example"
nestcam 300 CAA 0 issue "letsencrypt.org"
nestcam 300 A 203.0.113.24
nestcam 300 AAAA 2001:db8:40::24
tides 86400 A 203.0.113.24
tides 86400 AAAA 2001:db8:40::24
`,
  'wild.example': `$ORIGIN wild.example.
${head(1, 'ns1')}* 300 A 203.0.113.24
`,
  'open.example': `$ORIGIN open.example.
${head(1, 'ns1')}@ 300 MX 10 mail
mail 300 A 203.0.113.99
www 300 A 198.51.100.9
log 300 TXT "somebody else's"
${Array.from({ length: 200 }, (_, index) => `many 300 A 198.51.100.${String(index)}\n`).join('')}`,
};

/** Where verify may knock: an address of this machine. */
const near = `$ORIGIN near.example.
${head(2, 'ns1', 'ns2')}@ 300 A 127.0.0.1
www 300 CNAME @
nestcam 300 CNAME @
`;

let stops: Array<() => Promise<void>>;

beforeAll(async () => {
  const folder = folderWith();
  const one = await startNameServer({
    folder,
    address: first,
    zones: { ...zones, 'near.example': near },
    key: tsigKey,
  });
  // An older copy, in which one name is not yet what it is now.
  const older = saltmarsh
    .replace(head(7, 'ns1', 'ns2'), head(6, 'ns1', 'ns2'))
    .replace('nestcam 300 CNAME @', 'nestcam 300 A 198.51.100.9');
  const lagging = near.replace(head(2, 'ns1', 'ns2'), head(1, 'ns1', 'ns2')).replace('nestcam 300 CNAME @', '');
  const two = await startNameServer({
    folder,
    address: second,
    zones: { 'saltmarsh.example': older, 'near.example': lagging },
    key: tsigKey,
  });
  // Only who does not serve the zone below as well shows how it is delegated.
  const top = await startNameServer({ folder, address: above, zones: { example: zones.example }, key: tsigKey });
  stops = [one.stop, two.stop, top.stop];
});

afterAll(async () => {
  for (const end of stops) await end();
});

interface SiteInput {
  domains?: string;
  dns?: string;
  front?: string;
  more?: string;
}

function siteWith(
  names: readonly string[],
  { domains = 'saltmarsh.example', dns = '', front = '', more = '' }: SiteInput = {},
): string {
  return folderWith({
    'mile-marker.yaml': `domains: [${domains}]
front:
  address: [203.0.113.24, "2001:db8:40::24"]
  home: [192.168.64.10]
${front}${dns === '' ? '' : `dns: ${dns}\n`}${more}roads:
${names.map((name) => `  ${name}: ":9"\n`).join('')}`,
    'tsig.key': `hmac-sha256:${tsigKey.name}:${tsigKey.secret}\n`,
  });
}

const records = async (folder: string, ...options: string[]): Promise<string> =>
  (await mileMarker(['dns', 'records', ...options], folder)).out;

describe('what must stand in the zones', () => {
  const names = ['saltmarsh.example', 'www', 'cam.field', 'sightings.reedbed.example'];
  const domains = 'saltmarsh.example, reedbed.example';

  test('one address record and aliases to it, also from another zone; the bare domain is never an alias', async () => {
    expect(await records(siteWith(names, { domains }), '--zone')).toMatchInlineSnapshot(`
"; Written by Mile Marker from mile-marker.yaml
; The records that the zones need. SOA, NS and other records stay as they are.

$ORIGIN saltmarsh.example.
@          3600  A      203.0.113.24
@          3600  AAAA   2001:db8:40::24
www        3600  CNAME  saltmarsh.example.
cam.field  3600  CNAME  saltmarsh.example.

$ORIGIN reedbed.example.
sightings  3600  CNAME  saltmarsh.example.
"
`);
  });

  test('an address for each name; one wildcard; lower times before a move', async () => {
    expect(await records(siteWith(names, { domains, dns: '{style: addresses, ttl: 5m}' }), '--zone'))
      .toMatchInlineSnapshot(`
"; Written by Mile Marker from mile-marker.yaml
; The records that the zones need. SOA, NS and other records stay as they are.

$ORIGIN saltmarsh.example.
@          300  A     203.0.113.24
@          300  AAAA  2001:db8:40::24
www        300  A     203.0.113.24
www        300  AAAA  2001:db8:40::24
cam.field  300  A     203.0.113.24
cam.field  300  AAAA  2001:db8:40::24

$ORIGIN reedbed.example.
sightings  300  A     203.0.113.24
sightings  300  AAAA  2001:db8:40::24
"
`);
    expect(await records(siteWith(names, { domains, dns: '{style: wildcard}' }))).toMatchInlineSnapshot(`
"name                 type   value               time to live
saltmarsh.example    A      203.0.113.24        1h
saltmarsh.example    AAAA   2001:db8:40::24     1h
*.saltmarsh.example  CNAME  saltmarsh.example.  1h
*.reedbed.example    A      203.0.113.24        1h
*.reedbed.example    AAAA   2001:db8:40::24     1h
"
`);
  });

  test('from home the same names lead to the address of home', async () => {
    expect(await records(siteWith(['www', 'log']), '--view', 'home', '--hosts')).toBe(
      '192.168.64.10\twww.saltmarsh.example\n192.168.64.10\tlog.saltmarsh.example\n',
    );
  });

  test('who may issue certificates, when one public authority issues them all', async () => {
    const out = await records(siteWith(['www'], { more: 'acme: {directory: production, challenge: dns}\n' }));
    expect(out).toMatch(/saltmarsh\.example +CAA +0 issue "letsencrypt\.org"/);
    expect(out).toMatch(/CAA +0 issuewild "letsencrypt\.org"/);
  });

  test.each(['aliases', 'addresses', 'wildcard'])(
    'a real server reads the zone of the style %s and answers by it',
    async (style) => {
      const zone = await records(siteWith(names.slice(0, 3), { dns: `{style: ${style}}` }), '--zone');
      const folder = folderWith();
      const address = '127.0.53.8';
      const text = `${zone}${head(1, 'ns1')}`;
      const server = await startNameServer({ folder, address, zones: { 'saltmarsh.example': text }, key: tsigKey });
      try {
        for (const name of ['saltmarsh.example', 'www.saltmarsh.example', 'cam.field.saltmarsh.example']) {
          expect(dig(address, name, 'A')).toContain('203.0.113.24');
          expect(dig(address, name, 'AAAA')).toContain('2001:db8:40::24');
        }
      } finally {
        await server.stop();
      }
    },
  );
});

const check = (folder: string, ...options: string[]): ReturnType<typeof mileMarker> =>
  mileMarker(['dns', 'check', '--resolver', first, '--timeout', '500ms', ...options], folder);

async function rules(folder: string): Promise<string[]> {
  const { out } = await check(folder, '--json');
  const { findings } = JSON.parse(out) as { findings: Array<{ rule: string; severity: string; roads: string[] }> };
  return findings.map(({ rule, severity, roads }) =>
    `${severity} ${rule} ${roads.map((name) => name.split('.')[0]).join(' ')}`.trim(),
  );
}

describe('what does stand there', () => {
  test('right names, behind several aliases too, are right', async () => {
    const folder = siteWith(['saltmarsh.example', 'www', 'sightings']);
    const { code, out } = await check(folder);
    expect([code, out]).toMatchInlineSnapshot(`
[
  0,
  "name                         its zone says    127.0.53.5 says  judged
saltmarsh.example            2001:db8:40::24  2001:db8:40::24  ok
                             203.0.113.24     203.0.113.24
www.saltmarsh.example        2001:db8:40::24  2001:db8:40::24  ok
                             203.0.113.24     203.0.113.24
sightings.saltmarsh.example  2001:db8:40::24  2001:db8:40::24  ok
                             203.0.113.24     203.0.113.24
",
]
`);
  });

  test.each([
    ['not there at all', 'absent', ['error dns-missing absent']],
    ['a private address in public DNS', 'hut', ['error dns-elsewhere hut']],
    ['another machine', 'moved', ['error dns-elsewhere moved']],
    ['a forgotten AAAA record', 'roster', ['warning dns-incomplete roster']],
    ['an alias to nowhere', 'dangling', ['error dns-alias-dangling dangling']],
    ['aliases in a circle', 'ring', ['error dns-alias-dangling ring']],
    ['servers of which one lags', 'nestcam', ['error dns-servers-disagree nestcam']],
  ])('%s', async (_, name, expected) => {
    expect(await rules(siteWith([name]))).toEqual(expected);
  });

  test('with an edge in front the names must lead to the edge, and nowhere past it', async () => {
    const front = '  edge: {networks: 198.51.100.0/24}\n';
    expect(await rules(siteWith(['moved'], { front }))).toEqual([]);
    expect(await rules(siteWith(['www'], { front }))).toEqual(['error dns-elsewhere www']);
    const { out, err } = await mileMarker(['dns', 'records', '--json'], siteWith(['www'], { front }));
    expect([out, err.replace(/\s+/g, ' ')]).toEqual([
      expect.stringContaining('"zones": []'),
      expect.stringContaining('Your own address stays out of public DNS'),
    ]);
  });

  test('a CAA record that bars the authority, and addresses that are remembered for a day', async () => {
    const site = (more: string): string =>
      siteWith(['nestcam.barred.example', 'tides.barred.example'], { domains: 'barred.example', more });
    expect(await rules(site(''))).toEqual(['note dns-remembered-long tides']);
    const { out, code } = await check(site('acme: {directory: production, challenge: http}\n'), '--json');
    const { findings } = JSON.parse(out) as { findings: Array<{ rule: string; roads: string[]; message: string }> };
    expect(findings.map(({ rule, roads }) => [rule, roads])).toEqual([
      ['caa-bars-authority', ['tides.barred.example']],
      ['dns-remembered-long', ['tides.barred.example']],
    ]);
    expect(code).toBe(1);
    expect(findings[0]?.message).toContain('authority.marsh-dns.example');
  });

  test('servers that disagree are told with their serials', async () => {
    const { out } = await check(siteWith(['nestcam']));
    expect(out.replace(/\s+/g, ' ')).toContain('ns2.marsh-dns.example (serial 6) says 198.51.100.9');
  });

  test('a silent server, a delegation that differs, and a wildcard that nobody meant', async () => {
    const folder = siteWith(['sightings.reedbed.example'], { domains: 'reedbed.example' });
    expect(await rules(folder)).toEqual([
      'warning dns-delegation-differs',
      'warning dns-server-bad',
      'note dns-wildcard-answers',
    ]);
    expect(
      await rules(siteWith(['sightings.reedbed.example'], { domains: 'reedbed.example', dns: '{style: wildcard}' })),
    ).toEqual(['warning dns-delegation-differs', 'warning dns-server-bad']);
  });

  test('verify judges names by the servers of their zone, not by one resolver alone', async () => {
    const [http = 0, https = 0] = await freePorts(2);
    const folder = folderWith({
      'mile-marker.yaml': `domains: [near.example]
front: {address: 127.0.0.1, ports: {http: ${String(http)}, https: ${String(https)}}}
roads: {www: ":9", nestcam: ":9"}
`,
    });
    const { out } = await mileMarker(['verify', '--resolver', first, '--json'], folder);
    const { roads, findings } = JSON.parse(out) as {
      roads: Array<{ name: string; legs: { dns: { outcome: string; says: string } } }>;
      findings: Array<{ rule: string; roads: string[]; message: string }>;
    };
    expect(roads.map(({ name, legs: { dns } }) => [name, dns.outcome, dns.says])).toEqual([
      ['www.near.example', 'ok', '127.0.0.1'],
      ['nestcam.near.example', 'wrong', 'servers disagree'],
    ]);
    expect(findings.filter(({ rule }) => rule.startsWith('dns-'))).toMatchObject([
      {
        rule: 'dns-servers-disagree',
        roads: ['nestcam.near.example'],
        message: expect.stringContaining('ns2.marsh-dns.example (serial 1) says no address'),
      },
    ]);
  });

  test('a domain without a zone, and a resolver that is not there', async () => {
    expect(await rules(siteWith(['www.elsewhere.invalid'], { domains: 'elsewhere.invalid' }))).toEqual([
      'error dns-no-zone www',
    ]);
    const { code, err } = await mileMarker(
      ['dns', 'check', '--resolver', silent, '--timeout', '300ms'],
      siteWith(['www']),
    );
    expect([code, err]).toEqual([3, expect.stringContaining('does not answer')]);
  });
});

describe('publishing', () => {
  const open = { domains: 'open.example', dns: `{server: "${first}", key: tsig.key}` };

  test('shows the difference, changes the own names only, and takes it back', async () => {
    const folder = siteWith(['www', 'log', 'cam'], open);
    const dry = await mileMarker(['dns', 'publish', '--dry-run'], folder);
    expect([dry.code, dry.out, dry.err]).toMatchInlineSnapshot(`
[
  0,
  "open.example at 127.0.53.5
- www.open.example. 300 A 198.51.100.9
+ www.open.example. 3600 A 203.0.113.24
+ www.open.example. 3600 AAAA 2001:db8:40::24
+ log.open.example. 3600 A 203.0.113.24
+ log.open.example. 3600 AAAA 2001:db8:40::24
+ cam.open.example. 3600 CNAME www.open.example.
",
  "note: log.open.example has TXT records, and an alias cannot be beside them, so
      it gets the address itself.
Nothing was changed.
next: mile-marker dns publish
",
]
`);
    expect(dig(first, 'cam.open.example', 'CNAME')).toEqual([]);
    const done = await mileMarker(['dns', 'publish', '--yes'], folder);
    expect([done.code, done.err]).toEqual([0, expect.stringContaining('sets of records changed, and read back')]);
    expect(dig(first, 'cam.open.example', 'A')).toEqual(['www.open.example.', '203.0.113.24']);
    expect(dig(first, 'log.open.example', 'A')).toEqual(['203.0.113.24']);
    expect(dig(first, 'log.open.example', 'TXT')).toHaveLength(1);
    expect((await mileMarker(['dns', 'publish'], folder)).err).toContain('Nothing was changed.');
    expect((await check(folder)).code).toBe(0);
    // A road that is gone takes its record with it.
    const map = join(folder, 'mile-marker.yaml');
    const text = readFileSync(map, 'utf8');
    writeFileSync(map, text.replace('  cam: ":9"\n', ''));
    const without = await mileMarker(['dns', 'publish', '--yes'], folder);
    expect(without.out).toContain('- cam.open.example. 3600 CNAME www.open.example.');
    expect(dig(first, 'cam.open.example', 'CNAME')).toEqual([]);
    for (const act of ['undo', 'undo']) expect((await mileMarker(['dns', act, '--yes'], folder)).code).toBe(0);
    expect(dig(first, 'www.open.example', 'A')).toEqual(['198.51.100.9']);
    expect(dig(first, 'log.open.example', 'A')).toEqual([]);
    expect((await mileMarker(['dns', 'undo'], folder)).err).toContain('undone already');
  });

  test('a wrong key is told, and without anybody to agree nothing happens', async () => {
    const folder = siteWith(['hide'], open);
    const alone = await mileMarker(['dns', 'publish'], folder);
    expect([alone.code, alone.err]).toEqual([2, expect.stringContaining('There is no terminal to ask on')]);
    writeFileSync(join(folder, 'tsig.key'), `hmac-sha256:${tsigKey.name}:${Buffer.from('wrong').toString('base64')}\n`);
    const refused = await mileMarker(['dns', 'publish', '--yes'], folder);
    expect([refused.code, refused.err]).toEqual([3, expect.stringContaining('BADSIG')]);
    expect(dig(first, 'hide.open.example', 'A')).toEqual([]);
  });

  const secret = Buffer.from(tsigKey.secret, 'base64');
  const key = { name: tsigKey.name, algorithm: 'hmac-sha256', secret } as const;
  const update = (name: string, before: string[], after: string[], now = new Date()): Promise<void> => {
    const record = (data: string) => ({ name, type: 'A' as const, ttlSeconds: 60, data });
    const sets = [{ name, type: 'A' as const, before: before.map(record), after: after.map(record) }];
    return updateSets({ server: { address: first, port: 53 }, key, zone: 'open.example', sets, now, timeoutMs: 2000 });
  };

  test('whoever was quicker is not overwritten, and clocks that differ are told', async () => {
    const name = 'quick.open.example';
    await update(name, [], ['198.51.100.1']);
    await expect(update(name, [], ['198.51.100.2'])).rejects.toThrow(
      'Somebody changed the zone open.example meanwhile',
    );
    await expect(update(name, ['198.51.100.7'], ['198.51.100.2'])).rejects.toThrow('Nothing was changed there');
    const hourAgo = new Date(Date.now() - 3_600_000);
    await expect(update(name, ['198.51.100.1'], [], hourAgo)).rejects.toThrow('its clock differs (BADTIME)');
    expect(dig(first, name, 'A')).toEqual(['198.51.100.1']);
  });

  test('hundreds of names go over TCP in a few messages', async () => {
    const names = Array.from({ length: 400 }, (_, index) => `n${String(index)}`);
    const folder = siteWith(names, open);
    const { code, err } = await mileMarker(['dns', 'publish', '--yes'], folder);
    expect([code, err]).toEqual([0, expect.stringContaining('sets of records changed')]);
    expect(dig(first, 'n399.open.example', 'A')).toEqual(['n0.open.example.', '203.0.113.24']);
    expect((await mileMarker(['dns', 'undo', '--yes'], folder)).code).toBe(0);
    expect(dig(first, 'n399.open.example', 'A')).toEqual([]);
  });

  test('a record that a wildcard seems to give is made all the same', async () => {
    const folder = siteWith(['gull.wild.example'], { ...open, domains: 'wild.example' });
    expect((await mileMarker(['dns', 'publish', '--yes'], folder)).code).toBe(0);
    expect(dig(first, 'gull.wild.example', 'AAAA')).toEqual(['2001:db8:40::24']);
    expect(dig(first, 'other.wild.example', 'A')).toEqual(['203.0.113.24']);
    expect((await mileMarker(['dns', 'publish'], folder)).err).toContain('The zones are already right.');
  });

  test('a program gets each record word by word; without one they are printed', async () => {
    const program = { ...open, dns: '{program: [./publish]}' };
    const folder = siteWith(['hut'], program);
    writeFileSync(join(folder, 'publish'), `#!/bin/sh\necho "$@" >> ${join(folder, 'asked')}\n`, { mode: 0o755 });
    expect((await mileMarker(['dns', 'publish', '--yes', '--resolver', first], folder)).code).toBe(0);
    expect(readFileSync(join(folder, 'asked'), 'utf8')).toBe(
      'add hut.open.example A 203.0.113.24\nadd hut.open.example AAAA 2001:db8:40::24\n',
    );
    const byHand = await mileMarker(['dns', 'publish', '--resolver', first], siteWith(['hut'], { ...open, dns: '' }));
    expect([byHand.code, byHand.out]).toEqual([0, expect.stringContaining('+ hut.open.example. 3600 A 203.0.113.24')]);
    expect(byHand.err).toContain('names no server and no program');
  });

  test('--watch tells what is not right yet, and ends when it is', async () => {
    const folder = siteWith(['late'], open);
    const child = launch(['dns', 'check', '--watch', '--resolver', first], folder);
    const closed = new Promise<number | null>((resolve) => child.once('close', resolve));
    await says(child, 'late.open.example missing');
    await mileMarker(['dns', 'publish', '--yes'], folder);
    expect(await closed).toBe(0);
  });
});

/** A STUN server that sees everybody come from one address. */
async function stunServer(seen: string): Promise<{ port: number; close: () => void }> {
  const socket = createSocket('udp4');
  socket.on('message', (message, from) => {
    const mask = message.subarray(4, 8);
    const octets = seen.split('.').map((octet, index) => Number(octet) ^ (mask[index] ?? 0));
    // An attribute that nobody asked for comes first, with filling.
    const attributes = Buffer.from([0x80, 0x22, 0, 3, 65, 66, 67, 0, 0, 0x20, 0, 8, 0, 1, 0, 0, ...octets]);
    const header = Buffer.from([1, 1, 0, attributes.length, ...message.subarray(4, 20)]);
    socket.send(Buffer.concat([header, attributes]), from.port, from.address);
  });
  await new Promise<void>((resolve) => socket.bind(0, '127.0.0.1', resolve));
  return { port: socket.address().port, close: () => socket.close() };
}

describe('an address that changes', () => {
  const moving = (from: string, address = 'front.open.example'): string =>
    folderWith({
      'mile-marker.yaml': `domains: [open.example]\nfront: {address: ${address}}\ndns: {server: "${first}", key: tsig.key, ttl: 5m, address-from: ${from}}\nroads: {tern: ":9"}\n`,
      'tsig.key': `hmac-sha256:${tsigKey.name}:${tsigKey.secret}\n`,
    });
  const update = (folder: string, ...options: string[]): ReturnType<typeof mileMarker> =>
    mileMarker(['dns', 'update-address', ...options], folder);

  test('is learned from a STUN server and changes one record, once', async () => {
    const server = await stunServer('203.0.113.77');
    const folder = moving(`{stun: "127.0.0.1:${String(server.port)}"}`);
    const dry = await update(folder, '--dry-run');
    expect([dry.code, dry.out]).toEqual([0, 'front.open.example changes from no address to 203.0.113.77\n']);
    expect(dig(first, 'front.open.example', 'A')).toEqual([]);
    expect((await update(folder)).out).toBe(dry.out);
    expect(dig(first, 'front.open.example', 'A')).toEqual(['203.0.113.77']);
    expect((await update(folder)).out).toBe('front.open.example is still at 203.0.113.77\n');
    const journal = readFileSync(join(folder, '.mile-marker/dns/addresses.jsonl'), 'utf8').trim().split('\n');
    expect(journal).toEqual([expect.stringContaining('"before":[],"after":["203.0.113.77"]')]);
    await mileMarker(['dns', 'publish', '--yes'], folder);
    expect(dig(first, 'tern.open.example', 'A')).toEqual(['front.open.example.', '203.0.113.77']);
    server.close();
  });

  test('is compared with the one that the map says', async () => {
    const folder = moving('{program: [./where]}', '203.0.113.24');
    const where = (...addresses: string[]): void =>
      writeFileSync(join(folder, 'where'), `#!/bin/sh\necho ${addresses.join(' ')}\n`, { mode: 0o755 });
    const told = async (): Promise<string[]> => (await rules(folder)).filter((one) => one.includes('no-way-in'));
    where('203.0.113.24', '2001:db8:40::78');
    expect(await told()).toEqual([]);
    where('203.0.113.99');
    expect(await told()).toEqual(['error no-way-in']);
    where('none');
    expect((await check(folder)).err).toContain('does not give the public address: it gives no address');
  });

  test('by a program, both kinds of address', async () => {
    const folder = moving('{program: [./where]}', 'both.open.example');
    writeFileSync(join(folder, 'where'), '#!/bin/sh\necho 203.0.113.78; echo 2001:db8:40::78\n', { mode: 0o755 });
    expect((await update(folder)).code).toBe(0);
    expect(dig(first, 'both.open.example', 'AAAA')).toEqual(['2001:db8:40::78']);
  });

  test.each([
    ['{interface: lo}', 'is not reachable from outside'],
    ['{program: [./absent]}', 'does not give the public address'],
    ['{stun: "127.0.0.1:9"}', 'the connection was refused'],
  ])('%s: nothing is changed', async (from, words) => {
    const { code, err } = await update(moving(from));
    expect([code, err]).toEqual([3, expect.stringContaining(words)]);
  });

  test('an address that stands in the map cannot move', async () => {
    const { code, err } = await update(moving('{interface: lo}', '203.0.113.24'));
    expect([code, err]).toEqual([
      2,
      expect.stringContaining('Write a name instead, whose record is then kept up to date'),
    ]);
  });

  test('no STUN answer whatever is misread', () => {
    const id = Buffer.alloc(12, 7);
    fc.assert(
      fc.property(fc.uint8Array({ maxLength: 60 }), (bytes) => {
        const head = Buffer.concat([Buffer.from([1, 1, 0, bytes.length, 0x21, 0x12, 0xa4, 0x42]), id]);
        const seen = readBinding(Buffer.concat([head, bytes]), id);
        expect(seen === null || /^[\d.]+$|:/.test(seen)).toBe(true);
        expect(readBinding(Buffer.from(bytes), id)).toBe(null);
      }),
    );
  });
});

describe('name servers that misbehave', () => {
  const answer = async (make: (question: Buffer) => Buffer[]): Promise<{ port: number; close: () => void }> => {
    const socket = createSocket('udp4');
    socket.on('message', (message, from) => {
      for (const reply of make(message)) socket.send(reply, from.port, from.address);
    });
    await new Promise<void>((resolve) => socket.bind(0, '127.0.0.1', resolve));
    return { port: socket.address().port, close: () => socket.close() };
  };

  test('no packet whatever crashes or holds up the reader', async () => {
    let reply = Buffer.alloc(0);
    const server = await answer((question) => [Buffer.concat([question.subarray(0, 2), reply])]);
    const ask = () => queryServer({ address: '127.0.0.1', port: server.port }, { name: 'a.example', type: 'A' }, 40);
    try {
      await fc.assert(
        fc.asyncProperty(fc.uint8Array({ maxLength: 80 }), fc.boolean(), async (bytes, isReply) => {
          reply = Buffer.from(bytes);
          if (isReply && reply.length > 0) reply.writeUInt8(0x80 | (reply[0] ?? 0), 0);
          const heard = await ask().catch((error: unknown) => error);
          expect(heard instanceof Error || (heard !== null && typeof heard === 'object')).toBe(true);
        }),
        { numRuns: 150 },
      );
    } finally {
      server.close();
    }
  });

  test('what a resolver remembers is told apart from what the zone says', async () => {
    const soa = { mname: 'ns1.example', rname: 'keeper.example', serial: 1, minimum: 420 };
    const resolver = await answer((message) => {
      const { id = 0, questions = [] } = decode(message);
      const [question] = questions;
      const name = question?.name ?? '';
      const isZone = name === 'saltmarsh.example' && question?.type === 'SOA';
      const records: Record<string, Answer[]> = {
        NS: [{ type: 'NS', name, ttl: 60, data: 'ns1.marsh-dns.example' }],
        SOA: isZone ? [{ type: 'SOA', name, ttl: 60, data: soa }] : [],
        A: name.startsWith('ns1')
          ? [{ type: 'A', name, ttl: 60, data: first }]
          : name.startsWith('www')
            ? [{ type: 'A', name, ttl: 5000, data: '198.51.100.3' }]
            : [],
      };
      const answers = records[question?.type ?? ''] ?? [];
      const authorities: Answer[] =
        answers.length === 0 ? [{ type: 'SOA', name: 'saltmarsh.example', ttl: 420, data: soa }] : [];
      return [encode({ id, type: 'response', flags: RECURSION_AVAILABLE, questions, answers, authorities })];
    });
    const folder = siteWith(['saltmarsh.example', 'www']);
    const { out } = await mileMarker(['dns', 'check', '--resolver', `127.0.0.1:${String(resolver.port)}`], folder);
    const text = out.replace(/\s+/g, ' ');
    expect(text).toContain('still remembers that saltmarsh.example does not exist, for up to 7 min');
    expect(text).toContain('still remembers 198.51.100.3 for www.saltmarsh.example, for up to 83 min');
    resolver.close();
  });

  test('an answer too long for a datagram is fetched over TCP', async () => {
    const { answers } = await queryServer({ address: first, port: 53 }, { name: 'many.open.example', type: 'A' }, 2000);
    expect(answers).toHaveLength(200);
  });

  test('an answer with another number, to another question, or too late is not taken for ours', async () => {
    const wrong = await answer((question) => {
      const other = Buffer.from(question);
      other.writeUInt16BE((other.readUInt16BE(0) + 1) & 0xffff, 0);
      other.writeUInt8(0x80, 2);
      const { id = 0 } = decode(question);
      const questions = [{ type: 'A' as const, name: 'b.example' }];
      const answers: Answer[] = [{ type: 'A', name: 'b.example', ttl: 60, data: '198.51.100.66' }];
      return [other, encode({ id, type: 'response', questions, answers })];
    });
    const ask = queryServer({ address: '127.0.0.1', port: wrong.port }, { name: 'a.example', type: 'A' }, 200);
    await expect(ask).rejects.toThrow('no answer');
    wrong.close();
    const late = createSocket('udp4');
    const answered = new Promise<void>((resolve) => {
      late.on('message', (message, from) => {
        const reply = encode({ ...decode(message), type: 'response' });
        setTimeout(() => late.send(reply, from.port, from.address, () => resolve()), 150);
      });
    });
    await new Promise<void>((resolve) => late.bind(0, '127.0.0.1', resolve));
    const tooSoon = queryServer(
      { address: '127.0.0.1', port: late.address().port },
      { name: 'a.example', type: 'A' },
      50,
    );
    await expect(tooSoon).rejects.toThrow('no answer');
    await answered;
    late.close();
  });
});
