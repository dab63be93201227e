import { isContainerInterface, isLookalike } from '../../src/core/networks/container-interface.ts';
import fc from 'fast-check';
import { covers } from '../../src/core/certificates/cover.ts';
import { hostOfHeader, parseHostName } from '../../src/core/names/host-name.ts';
import { inNetworks, parseAddress, parseNetwork } from '../../src/core/networks/address.ts';
import { homeNetworks } from '../../src/core/networks/home.ts';
import { roadName } from '../../src/core/map/road-name.ts';

const label = fc.stringMatching(/^[a-z0-9]([a-z0-9-]{0,20}[a-z0-9])?$/);
const name = fc.array(label, { minLength: 1, maxLength: 5 }).map((labels) => [...labels, 'example'].join('.'));

test.each([
  ['Nestcam.SALTMARSH.example.', 'nestcam.saltmarsh.example'],
  ['b\u00fccher.example', 'xn--bcher-kva.example'],
  ['xn--bcher-kva.example', 'xn--bcher-kva.example'],
  ['fa\u00df.example', 'xn--fa-hia.example'], // non-transitional: UTS 46 revision 15 and later
  ['a--b.example', 'a--b.example'],
  [`${'a'.repeat(63)}.example`, `${'a'.repeat(63)}.example`],
])('%s is %s', (typed, ascii) => {
  expect(parseHostName(typed)).toMatchObject({ ok: true, name: { ascii } });
});

test.each([
  ['', 'empty'],
  ['.', 'empty'],
  ['a..b', 'label-empty'],
  ['a_b.example', 'bad-character'],
  ['a b', 'bad-character'],
  ['a/b', 'bad-character'],
  ['-a.example', 'hyphen-edge'],
  ['a-.example', 'hyphen-edge'],
  [`${'a'.repeat(64)}.example`, 'label-too-long'],
  [`${'a.'.repeat(127)}example`, 'too-long'],
  ['xn--a', 'not-idna'],
  ['192.168.64.9', 'looks-like-address'],
  ['2001:db8::1', 'looks-like-address'],
  ['a.0x7', 'looks-like-address'],
  ['*.example', 'wildcard'],
])('%j is refused: %s', (typed, problem) => {
  expect(parseHostName(typed)).toMatchObject({ ok: false, problem });
});

test.each<[string, boolean, boolean]>([
  ['docker0', true, false],
  ['br-0123456789ab', true, false],
  ['br-eth0', false, true],
  ['br-wan', false, false],
  ['br0', false, false],
  ['eth0', false, false],
  ['dockerish', false, true],
])('the interface %s: of containers, or called nearly so', (name, isOne, isNearly) => {
  expect([isContainerInterface(name), isLookalike(name)]).toEqual([isOne, isNearly]);
});

test('a name in comparable form stays as it is, however it was written', () => {
  fc.assert(
    fc.property(name, fc.boolean(), fc.boolean(), (ascii, capitals, dot) => {
      const written = `${capitals ? ascii.toUpperCase() : ascii}${dot ? '.' : ''}`;
      expect(parseHostName(written)).toMatchObject({ ok: true, name: { ascii } });
      expect(hostOfHeader(`${written}:8443`)).toBe(ascii);
    }),
  );
});

test('no text at all makes a name that could end a line or a quote of a configuration', () => {
  fc.assert(
    fc.property(fc.oneof(fc.string({ unit: 'binary' }), fc.string()), (text) => {
      const parsed = parseHostName(text);
      return !parsed.ok || /^[a-z0-9.-]+$/.test(parsed.name.ascii);
    }),
    { numRuns: 2000 },
  );
});

test.each([
  ['nestcam', 'nestcam.saltmarsh.example'],
  ['cam.field', 'cam.field.saltmarsh.example'],
  ['saltmarsh.example', 'saltmarsh.example'],
  ['x.reedbed.example', 'x.reedbed.example'],
  ['Photos.Saltmarsh.Example.', 'photos.saltmarsh.example'],
])('the road %s is %s', (key, ascii) => {
  expect(roadName(key, ['saltmarsh.example', 'reedbed.example'])).toMatchObject({ ok: true, name: { ascii } });
});

test.each([
  ['photos.reedbad.example', 'foreign', '; did you mean reedbed.example?'],
  ['www.', 'foreign', ''],
])('the road %s is refused as %s', (key, say, near) => {
  expect(roadName(key, ['saltmarsh.example', 'reedbed.example'])).toMatchObject({ ok: false, say, data: { near } });
});

test.each([
  [['*.saltmarsh.example'], 'nestcam.saltmarsh.example', true],
  [['*.saltmarsh.example'], 'saltmarsh.example', false],
  [['*.saltmarsh.example'], 'cam.field.saltmarsh.example', false],
  [['NESTCAM.saltmarsh.example'], 'nestcam.saltmarsh.example', true],
  [['n*.saltmarsh.example'], 'nestcam.saltmarsh.example', false],
  [['*.example'], 'a.example', false],
  [[], 'a.example', false],
])('%j covers %s: %s', (names, host, yes) => {
  expect(covers(names, host)).toBe(yes);
});

test.each([
  ['[2001:DB8::0:1]', '2001:db8::1'],
  ['::ffff:10.1.2.3', '10.1.2.3'],
  ['010.1.2.3', null],
  ['10.1', null],
  ['1.2.3.4.', null],
  ['fe80::1%eth0', null],
])('the address %s is %s', (text, address) => {
  expect(parseAddress(text)).toBe(address);
});

test('an address lies in the network of its own first bits, and in no network of the other family', () => {
  fc.assert(
    fc.property(fc.ipV4(), fc.integer({ min: 0, max: 32 }), fc.ipV6(), (v4, bits, v6) => {
      const network = parseNetwork(`${v4}/${String(bits)}`) ?? '';
      expect(inNetworks(v4, [network])).toBe(true);
      expect(inNetworks(`::ffff:${v4}`, [network])).toBe(true);
      if (parseAddress(v6)?.includes(':') === true) expect(inNetworks(v6, [network])).toBe(false);
    }),
  );
});

test('home is loopback and the networks of this house: no containers, no neighbours of a rented server, not the gateway', () => {
  const on = (address: string, network: string, ofContainers = false, name = 'lan') => ({
    interface: name,
    address,
    network,
    ofContainers,
  });
  const host = {
    addresses: [
      on('127.0.0.1', '127.0.0.0/8'),
      on('192.168.64.10', '192.168.64.0/24'),
      on('2001:db8:40::24', '2001:db8:40::/64'),
      on('203.0.113.24', '203.0.113.0/24', false, 'wan'),
      on('2001:db8:9::24', '2001:db8:9::/64', false, 'wan'),
      on('fe80::24', 'fe80::/64', false, 'wan'),
      on('fd00:77::1', 'fd00:77::/64', false, 'tunnel'),
      on('172.17.0.1', '172.17.0.0/16', true),
    ],
    gateway: '192.168.64.1',
    resolvers: [],
    trustedRoots: null,
    compose: 'docker compose',
    lookalikes: [],
  };
  expect(homeNetworks(host, null)).toEqual({
    networks: ['127.0.0.0/8', '::1/128', '192.168.64.0/24', '2001:db8:40::/64', 'fd00:77::/64'],
    except: ['192.168.64.1'],
  });
  expect(homeNetworks(host, ['10.0.0.0/8'])).toEqual({ networks: ['10.0.0.0/8'], except: [] });
});
