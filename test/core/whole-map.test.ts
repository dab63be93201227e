import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { Ajv2020 } from 'ajv/dist/2020.js';
import fc from 'fast-check';
import { parse } from 'yaml';
import { readMap } from '../../src/core/map/read-map.ts';
import { describeKeys } from '../../src/core/map/schema/describe.ts';
import { mapJsonSchema } from '../../src/core/map/schema/json-schema.ts';
import { mapSchema } from '../../src/core/map/schema/map.ts';
import { durationText, parseDuration, parseRate, parseSize } from '../../src/core/map/units.ts';

const text = readFileSync(join(__dirname, '../files/whole-map.yaml'), 'utf8');
const whole = parse(text, { stringKeys: true }) as Record<string, unknown>;
const bySchema = new Ajv2020({ strictSchema: 'log', logger: false }).compile(mapJsonSchema());

/** What reading the whole map with one change says, as `key: message`. */
function told(from: string, to: string): string[] {
  expect(text).toContain(from);
  return readMap({ file: 'm', text: text.replace(from, to) }).findings.map(({ message }) => message);
}

test('the whole map is read without a word, and its JSON Schema says the same', () => {
  expect(readMap({ file: 'm', text }).findings).toEqual([]);
  bySchema(whole);
  expect(bySchema.errors).toBe(null);
});

/** A value with `value` at `path`; `NAME` is any key that is free. */
function placed(path: readonly string[], value: unknown, base: unknown): unknown {
  const [step, ...rest] = path;
  if (step === undefined) return value;
  const parent = (typeof base === 'object' && base !== null ? base : {}) as Record<string, unknown>;
  const key = step !== 'NAME' ? step : (Object.keys(parent)[0] ?? 'any');
  return { ...parent, [key]: placed(rest, value, parent[key]) };
}

const least = {
  domains: 'saltmarsh.example',
  front: { address: '203.0.113.24', edge: { networks: '198.51.100.0/24' } },
  acme: { 'external-account': { id: 'x', key: 'y' } },
  certificates: { marsh: { names: 'saltmarsh.example' } },
  labels: { obey: 'saltmarsh.example' },
  machines: { hide: { engine: 'tcp://192.0.2.9:2376', address: '192.0.2.9' } },
  ports: { '8883/tcp': { to: 'a:1' } },
  roads: { www: { to: 'a:1', cors: { origins: '*' }, paths: { '/a': {} } } },
};

test('every key is described, its example is what it expects, and the whole map has it', () => {
  for (const { path, expects, description, example } of describeKeys()) {
    expect([path, expects, description, example]).not.toContain('');
    const value: unknown = parse(example, { stringKeys: true });
    const { success } = mapSchema.safeParse(placed(path.split('.'), value, least));
    const wrong = mapSchema.safeParse(placed(path.split('.'), [[{ odd: [] }]], least));
    expect([path, success, wrong.success]).toEqual([path, true, false]);
    expect([path, text.includes(`${path.split('.').pop() ?? ''}:`)]).toEqual([path, path !== 'dns.program']);
  }
});

test.each([
  ['engine: unix:///run/engine.sock', 'engine: none', 'but the map says `engine: none`'],
  ['  obey: lab.saltmarsh.example', '  obey: lab.saltmash.example', 'which lies in none of `domains`'],
  ['gates: [wardens]', 'gates: [warden]', 'names the gate `warden`, which the map does not have.'],
  ['timeout: 15m', 'timeout: 900', '`roads.nestcam.timeout` expects a time with its unit'],
  ['body-limit: 10MiB', 'body-limit: 10M', '`roads.nestcam.body-limit` expects a size with its unit'],
  ['20/s burst 40', '20', '`roads.nestcam.rate` expects requests per time'],
  ['security-headers: strict', 'security-headers: strct', 'security-headers` expects basic, strict or off'],
  ['tell: [Remote-User, Remote-Groups]', 'people: w', 'has both `people` and `asks`'],
  ['devices: [laptop, phone]', 'networks: 192.0.2.0/24', 'but the gate has no `devices`'],
  ['[laptop, phone]', '[any, phone]', 'has `any`, and names of devices beside it'],
  ['[laptop, phone]', 'Phone', '`gates.keepers.devices` expects a name of small letters'],
  ['asks: login-desk:9091/check, ', 'networks: 192.0.2.0/24, ', 'but the gate asks no service'],
  ['[Remote-User, Remote-Groups]', 'Connection', 'has the header `Connection`'],
  ['[Remote-User, Remote-Groups]', 'X-Forwarded-For', 'has the header `X-Forwarded-For`'],
  ['[Remote-User, Remote-Groups]', '"X.host"', 'expects the name of a header'],
  ['[Remote-User, Remote-Groups]', 'Remote_User', 'expects the name of a header'],
  ['login-desk:9091/check', 'login-desk:9091/a;b', 'has a path that cannot be asked for'],
  ['login-desk:9091/check', 'login-desk:9091/$host', 'has a path that cannot be asked for'],
  ['login-desk:9091/check', 'https://login-desk.example/check', 'asks over HTTPS'],
  ['login-desk:9091/check', '"login-desk:9091/check?x"', 'has a path that cannot be asked for'],
  ['login-desk:9091/check', 'login-desk/check', 'does not say the port'],
  ['gate: [wardens, home]', 'gate: [warden, home]', 'names the gate `warden`, which the map does not have.'],
  ['certificate: marsh\n', 'certificate: mash\n', 'names the certificate `mash`, which the map does not have.'],
  ['  wardens:\n', '  home: {networks: 192.0.2.0/24}\n  wardens:\n', '`home` is the name of a built-in gate'],
  [
    '  wardens:\n',
    '  empty: {need: any}\n  wardens:\n',
    'The gate `empty` has none of `people`, `networks`, `devices` and `asks`.',
  ],
  ['to: https://192.168.64.9:8443', 'to: http://192.168.64.9:8443', '`roads.station.upstream-ca` only works with'],
  ['upstream-insecure: true', 'upstream-insecure: true\n    upstream-ca: a', 'more than one of `upstream-ca`'],
  ['origins: [https://www.saltmarsh.example]', 'origins: ["*"]', '`cors` allows every origin'],
  ['/.well-known/caldav: {redirect: /dav/}', '/a/../b: a:1', 'where a path in normal form'],
  ['/.well-known/caldav: {redirect: /dav/}', '/a: {}', '`roads.nestcam.paths./a` needs one of'],
  ['/.well-known/caldav: {redirect: /dav/}', '/: a:1', '`roads.nestcam.paths./` is the whole road'],
  ['{X-Robots-Tag: noindex}', '{X-Robots-Tag: "a\\nb"}', 'response-headers.X-Robots-Tag` expects a text on one line'],
  ['27015/udp: field-radio:27015', '27015/udp: field-radio', 'does not say the port'],
  ['27015/udp: field-radio:27015', '27015: field-radio:27015', 'where a port with its protocol'],
  ['key: tsig-marsh.key', 'program: [./publish]', '`dns` has both `server` and `program`.'],
  ['  key: tsig-marsh.key\n', '', '`dns.server` needs signed updates.'],
  ['folder: ./site', 'folder: ./site\n    to: a:1', 'more than one of `to`, `redirect` and `folder`'],
  ['contact: keeper@', 'contact: keeper', '`acme.contact` expects an e-mail address'],
  ['engine: unix:///run/engine.sock', 'engine: /run/engine.sock', '`engine` expects none, unix:///PATH'],
  ['  container: front', '  runs-on: {container: front}', '`runs-on` of front is now called `container`.'],
  ['  container: front', '  runs-on: host', 'a front on this machine has none'],
  ['upstream-pin: AAAA', 'upstream-pin: sha256/AAAA', 'without `sha256/` before it'],
  ['  container: front', '  container: {name: front}', '`front.container` expects the name of a container'],
  ['speaks: https', 'speeks: https', '`speeks` is not a key of front.edge.'],
])('%s written as %s is told', (from, to, words) => {
  expect(told(from, to).filter((message) => message.includes(words))).toHaveLength(1);
});

test('a bare number is never taken where a unit is needed, and what is written is what is meant', () => {
  expect([parseDuration('90s'), parseDuration('2h'), parseSize('10MiB'), parseSize('1B')]).toEqual([
    90, 7200, 10_485_760, 1,
  ]);
  expect(parseRate('20/m burst 5')).toEqual({ requests: 20, perSeconds: 60, burst: 5 });
  expect([120_000, 3_600_000, 90_000, 172_800_000, 200].map(durationText)).toEqual(['2m', '1h', '90s', '2d', '200ms']);
  fc.assert(
    fc.property(fc.integer({ min: 1, max: 10_000_000 }), (seconds) => {
      expect(parseDuration(durationText(seconds * 1000))).toBe(seconds);
    }),
  );
  fc.assert(
    fc.property(fc.nat(), fc.constantFrom('', ' s', 'S', 'ms', 'M', 'MB', '/d', ' MiB', '.5s'), (number, unit) => {
      const written = `${String(number)}${unit}`;
      expect([parseDuration(written), parseSize(written), parseRate(written)]).toEqual([null, null, null]);
    }),
  );
});

test('whatever stands at whatever key, reading never throws and never passes what the JSON Schema refuses', () => {
  const paths = describeKeys().map(({ path }) => path.split('.'));
  fc.assert(
    fc.property(fc.constantFrom(...paths), fc.jsonValue({ maxDepth: 2 }), (path, value) => {
      const map = placed(path, value, whole);
      const { findings } = readMap({ file: 'm', text: JSON.stringify(map) });
      if (findings.length === 0) expect([map, bySchema(map)]).toEqual([map, true]);
    }),
    { numRuns: 200 },
  );
});

test('where something else is wrong, what roads name is not said to be missing', () => {
  const broken = `domains: [saltmarsh.example]
front: {address: 203.0.113.24, ports: {http: 808000}}
gates: {wardens: {networks: 10.0.0.0/8}}
machines: {hide: {engine: "unix:///run/hide.sock"}}
certificates: {marsh: {names: saltmarsh.example, from: acme}}
roads: {cam: {to: "cam@hide:8080", gate: wardens, certificate: marsh}, log: {to: ":9", gate: warden}}
`;
  const said = readMap({ file: 'm', text: broken }).findings.map(({ message }) => message);
  expect(said).toEqual([
    expect.stringContaining('`front.ports.http`'),
    'The key `address` is missing from machines.hide.',
    expect.stringContaining('`roads.log.gate` names the gate `warden`'),
  ]);
});
