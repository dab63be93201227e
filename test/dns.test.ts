import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { dig, startNameServer } from './support/authority.ts';
import { tsigKey } from './support/acme-site.ts';
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
  'open.example': `$ORIGIN open.example.
${head(1, 'ns1')}@ 300 MX 10 mail
mail 300 A 203.0.113.99
www 300 A 198.51.100.9
log 300 TXT "somebody else's"
`,
};

let stops: Array<() => Promise<void>>;

beforeAll(async () => {
  const folder = folderWith();
  const one = await startNameServer({ folder, address: first, zones, key: tsigKey });
  // An older copy, in which one name is not yet what it is now.
  const older = saltmarsh
    .replace(head(7, 'ns1', 'ns2'), head(6, 'ns1', 'ns2'))
    .replace('nestcam 300 CNAME @', 'nestcam 300 A 198.51.100.9');
  const two = await startNameServer({ folder, address: second, zones: { 'saltmarsh.example': older }, key: tsigKey });
  // Only who does not serve the zone below as well shows how it is delegated.
  const top = await startNameServer({ folder, address: above, zones: { example: zones.example }, key: tsigKey });
  stops = [one.stop, two.stop, top.stop];
}, 60_000);

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
; What must stand in the zones. SOA, NS and records of others stay as they are.

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
; What must stand in the zones. SOA, NS and records of others stay as they are.

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
saltmarsh.example    A      203.0.113.24        3600 s
saltmarsh.example    AAAA   2001:db8:40::24     3600 s
*.saltmarsh.example  CNAME  saltmarsh.example.  3600 s
*.reedbed.example    A      203.0.113.24        3600 s
*.reedbed.example    AAAA   2001:db8:40::24     3600 s
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
  "name                         its zone says    127.0.53.5 says
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

  test('a domain without a zone, and a resolver that is not there', async () => {
    expect(await rules(siteWith(['www.elsewhere.invalid'], { domains: 'elsewhere.invalid' }))).toEqual([
      'error dns-no-zone www',
    ]);
    const { code, err } = await mileMarker(
      ['dns', 'check', '--resolver', silent, '--timeout', '300ms'],
      siteWith(['www']),
    );
    expect([code, err]).toEqual([3, expect.stringContaining('gives no answer')]);
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
  "map: mile-marker.yaml
note: log.open.example has TXT records, beside which no alias may stand; it gets
      the address itself.
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
    expect((await mileMarker(['dns', 'undo'], folder)).err).toContain('not taken back already');
  });

  test('a wrong key, and somebody who was quicker', async () => {
    const wrong = siteWith(['hide'], open);
    writeFileSync(join(wrong, 'tsig.key'), `hmac-sha256:${tsigKey.name}:${Buffer.from('wrong').toString('base64')}\n`);
    const refused = await mileMarker(['dns', 'publish', '--yes'], wrong);
    expect([refused.code, refused.err]).toEqual([3, expect.stringContaining('BADSIG')]);
    const slow = siteWith(['hide'], open);
    const child = launch(['dns', 'publish'], slow);
    child.stdin.end();
    await says(child, 'Nobody is there to agree').catch(() => undefined);
    expect(dig(first, 'hide.open.example', 'A')).toEqual([]);
  });
});
