import { chmodSync, chownSync, readFileSync, readlinkSync, statSync, symlinkSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import fc from 'fast-check';
import { parse } from 'yaml';
import { addRoad, removeRoad, setAt, setKey, setPaused, writtenRoad } from '../src/core/map/edit.ts';
import { readMap } from '../src/core/map/read-map.ts';
import { starterMap } from '../src/core/map/starter.ts';
import { folderWith, mileMarker } from './support/program.ts';

const head = `# The marsh.
domains: [saltmarsh.example]   # one for now
front: {address: 203.0.113.24}

`;

const roadsOf = (text: string) => {
  const { map, findings } = readMap({ file: 'm', text });
  if (map === null) throw new Error(`${JSON.stringify(findings)}\n${text}`);
  return map.roads.map(({ key, parts, gates, paused }) => ({
    key,
    leads: parts[parts.length - 1]?.leads,
    gate: gates.join(),
    paused,
  }));
};

/** One road in one of the ways in which people write them, indented by `indent`. */
const written =
  (indent: string) =>
  (key: string, port: number, style: number): string => {
    const to = `s${String(port)}:${String(port)}`;
    const styles = [
      `${indent}${key}: ${to}\n`,
      `${indent}${key}: "${to}"   # quoted\n`,
      `${indent}${key}: {to: ${to}, gate: everyone}\n`,
      `${indent}${key}:\n${indent}  to: ${to}   # why\n${indent}  # a thought\n${indent}  gate: everyone\n`,
      `\n${indent}# ${key} is new\n${indent}${key}:\n${indent}    gate: home\n${indent}    to: ${to}\n\n`,
      `${indent}"${key}": {  to: '${to}'  }\n`,
    ];
    return styles[style % styles.length] ?? '';
  };

const maps = fc
  .record({
    indent: fc.constantFrom('  ', '    ', ' '),
    styles: fc.array(fc.nat(5), { minLength: 1, maxLength: 5 }),
    tail: fc.constantFrom('', '# the end\n', 'compose: [compose.yaml]\n', '\n  # later: x:1\n'),
    crlf: fc.boolean(),
    open: fc.boolean(),
  })
  .map(({ indent, styles, tail, crlf, open }) => {
    const body = styles.map((style, index) => written(indent)(`r${String(index)}`, 1000 + index, style)).join('');
    const text = `${head}roads:\n${body}${tail}`;
    const whole = crlf ? text.replace(/\n/g, '\r\n') : text;
    return { text: open ? whole.trimEnd() : whole, count: styles.length };
  });

/** Whether `longer` is `shorter` with one piece put in. */
function isInsertion(shorter: string, longer: string): boolean {
  let same = 0;
  while (same < shorter.length && shorter[same] === longer[same]) same += 1;
  return longer.endsWith(shorter.slice(same)) && longer.length >= shorter.length;
}

test('adding puts one piece in and changes no other byte; removing takes it out again', () => {
  fc.assert(
    fc.property(maps, fc.constantFrom('new', 'photos.field'), fc.boolean(), ({ text }, key, open) => {
      const added =
        addRoad(text, key, [['to', 'bird-log:8080'], ...(open ? ([['gate', 'everyone']] as const) : [])]) ?? '';
      expect(isInsertion(text, added)).toBe(true);
      const fresh = {
        key,
        leads: { kind: 'service', project: null, service: 'bird-log', machine: null, port: 8080 },
        gate: open ? 'everyone' : 'home',
        paused: false,
      };
      expect(roadsOf(added)).toEqual([...roadsOf(text), fresh]);
      const removed = removeRoad(added, key) ?? '';
      // A last line without a line end got one.
      expect(removed.trimEnd()).toBe(text.trimEnd());
    }),
    { numRuns: 150 },
  );
});

test('pausing changes one road only, and resuming gives back the bytes of before', () => {
  fc.assert(
    fc.property(maps, fc.nat(4), ({ text, count }, pick) => {
      const index = pick % count;
      const key = `r${String(index)}`;
      const paused = setPaused(text, key, true) ?? '';
      expect(roadsOf(paused)).toEqual(
        roadsOf(text).map((road, at) => (at === index ? { ...road, paused: true } : road)),
      );
      const resumed = setPaused(paused, key, false) ?? '';
      expect(roadsOf(resumed)).toEqual(roadsOf(text));
      // What was not of this road stands as it stood.
      for (const line of text.split(/\r?\n/).filter((one) => !one.includes(key) && one.trim() !== ''))
        expect(resumed.split(/\r?\n/)).toContain(line);
    }),
    { numRuns: 150 },
  );
});

test('setting a key changes it alone, and taking a new one out again gives back the bytes of before', () => {
  const keys = fc.constantFrom(
    { name: 'gate', value: 'home' },
    { name: 'gate', value: ['home', 'everyone'] },
    { name: 'to', value: ':9400' },
    { name: 'expect', value: { path: '/live', status: 200 } },
    { name: 'notes', value: 'yes: [no]' },
    { name: 'plain', value: true },
  );
  fc.assert(
    fc.property(maps, fc.nat(4), keys, ({ text, count }, pick, key) => {
      const name = `r${String(pick % count)}`;
      const before = writtenRoad(text, name);
      const edited = setKey(text, name, key) ?? '';
      expect(writtenRoad(edited, name)).toEqual({ ...before, [key.name]: key.value });
      const others = roadsOf(text).filter((road) => road.key !== name);
      expect(roadsOf(edited).filter((road) => road.key !== name)).toEqual(others);
      for (const line of text.split(/\r?\n/).filter((one) => !one.includes(key.name) && !one.includes(name)))
        expect(edited.split(/\r?\n/)).toContain(line);
      if (before === null || key.name in before) return;
      const unset = setKey(edited, name, { name: key.name, value: null }) ?? '';
      expect(writtenRoad(unset, name)).toEqual(before);
      expect(setKey(unset, name, key)).toBe(setKey(setKey(unset, name, key) ?? '', name, key));
    }),
    { numRuns: 200 },
  );
});

test.each([
  ['a map that start wrote', starterMap({ domain: 'saltmarsh.example', addresses: ['203.0.113.24'], compose: [] })],
  ['no roads key', head],
  ['an empty roads key', `${head}roads:\n`],
  ['empty braces', `${head}roads: {}\ncompose: [c]\n`],
  ['roads in braces', `${head}roads: {www: "a:1"}\n`],
  ['roads in braces with a comma at the end', `${head}roads: { www: {to: "a:1"}, }\n`],
])('the first or next road into %s', (_, text) => {
  const before = roadsOf(text);
  const added =
    addRoad(text, 'new', [
      ['to', ':9400'],
      ['gate', 'everyone'],
    ]) ?? '';
  expect(roadsOf(added)).toEqual([
    ...before,
    { key: 'new', leads: { kind: 'port', port: 9400 }, gate: 'everyone', paused: false },
  ]);
  expect(roadsOf(removeRoad(added, 'new') ?? '')).toEqual(before);
});

test.each([
  ['an alias', `${head}base: &b {www: "a:1"}\nroads: *b\n`],
  ['braces over several lines', `${head}roads: {\n  www: "a:1"\n}\n`],
])('%s is left to a person', (_, text) => {
  expect(addRoad(text, 'new', [['to', 'a:1']])).toBeNull();
});

describe('the commands', () => {
  const text = `${head}roads:\n  # the log\n  sightings: bird-log:8080   # home only\n  nestcam:\n    to: nestcam:3000\n    gate: everyone\ncompose: [compose.yaml]\n`;
  const files = {
    'mile-marker.yaml': text,
    'compose.yaml':
      'services: {bird-log: {ports: ["127.0.0.1:8081:8080"]}, nestcam: {ports: ["127.0.0.1:3001:3000"]}, owls: {ports: ["127.0.0.1:3002:3000"]}}\n',
  };
  const map = (folder: string): string => readFileSync(join(folder, 'mile-marker.yaml'), 'utf8');

  test('add, add --open, add --like, pause, resume and remove, with what the road still needs', async () => {
    const folder = folderWith(files);
    const added = await mileMarker(['add', 'owls', 'owls:3001'], folder);
    expect(added).toMatchObject({
      code: 0,
      out: expect.stringContaining('`owls` does not publish its port 3001. It publishes 3000.') as string,
    });
    await mileMarker(['remove', 'owls'], folder);
    expect(map(folder)).toBe(text);
    expect(
      (await mileMarker(['add', 'OWLS.saltmarsh.example', 'owls:3000', '--like', 'nestcam'], folder)).out,
    ).toContain('added owls.saltmarsh.example\n');
    expect(map(folder)).toBe(text.replace('compose:', '  owls:\n    to: owls:3000\n    gate: everyone\ncompose:'));
    expect(
      (await mileMarker(['add', 'old', '--redirect', 'https://owls.saltmarsh.example', '--open'], folder)).code,
    ).toBe(0);
    expect(map(folder)).toContain('  old:\n    redirect: https://owls.saltmarsh.example\n    gate: everyone\n');
    expect((await mileMarker(['pause', 'sightings'], folder)).out).toContain('paused sightings.saltmarsh.example\n');
    expect(map(folder)).toContain('  # the log\n  sightings: {to: bird-log:8080, paused: true}   # home only\n');
    expect((await mileMarker(['roads'], folder)).out).toMatch(/sightings\.saltmarsh\.example +home, paused/);
    expect((await mileMarker(['pause', 'sightings'], folder)).out).toContain('is already paused');
    await mileMarker(['resume', 'sightings'], folder);
    await mileMarker(['remove', 'old'], folder);
    await mileMarker(['remove', 'owls'], folder);
    expect(map(folder)).toBe(text);
  });

  test('set opens and closes a road, and changes any key of it; --unset takes it out', async () => {
    const folder = folderWith(files);
    const set = async (...argv: string[]): Promise<string> => (await mileMarker(['set', ...argv], folder)).out;
    expect(await set('sightings', 'gate', 'everyone')).toContain(
      'sightings.saltmarsh.example now says gate: everyone\n',
    );
    expect(map(folder)).toContain('  sightings: {to: bird-log:8080, gate: everyone}   # home only\n');
    expect(await set('sightings', 'gate', 'everyone')).toContain('already says gate: everyone');
    await set('nestcam', 'methods', '[GET, HEAD]');
    await set('nestcam.saltmarsh.example', 'gate', 'home');
    expect(map(folder)).toContain('    to: nestcam:3000\n    gate: home\n    methods: [GET, HEAD]\n');
    await set('nestcam', 'methods', '--unset');
    await set('nestcam', 'gate', 'everyone');
    await set('sightings', 'gate', '--unset');
    expect(map(folder)).toBe(text);
  });

  test('set of several roads, of all, and of anything else by its path', async () => {
    const folder = folderWith(files);
    const set = async (...argv: string[]): Promise<string> => (await mileMarker(['set', ...argv], folder)).out;
    expect(await set('nest*,sightings', 'hsts', '1d')).toContain('2 roads now say hsts: 1d\n');
    expect(map(folder)).toContain('  sightings: {to: bird-log:8080, hsts: 1d}   # home only\n');
    expect(await set('--all', 'hsts', '1d')).toMatch(/^\d roads? already say hsts: 1d\n/);
    await set('--all', 'hsts', '--unset');
    expect(map(folder)).toBe(text);
    expect(await set('front.home', '192.168.64.10')).toContain('The map now says front.home: 192.168.64.10\n');
    await set('gates.keepers.networks', '[192.168.64.0/24]');
    expect(await set('sightings,nestcam', 'gate', 'keepers')).toContain('2 roads now say gate: keepers');
    expect(readMap({ file: 'm', text: map(folder) }).map).toMatchObject({
      gates: [{ name: 'keepers', checks: [{ kind: 'networks', networks: ['192.168.64.0/24'] }] }],
    });
  });

  test('a key anywhere: just that changes, whatever stands around it, and every comment stays', () => {
    const path = fc.constantFrom(['front', 'home'], ['acme', 'contact'], ['gates', 'far', 'networks'], ['dns', 'ttl']);
    const around = fc.constantFrom(
      '',
      'acme:\n  # whom to write to\n  directory: staging\n',
      'gates: {near: {networks: 10.0.0.0/8}} # as it was\n',
      'gates:\n  far:\n    networks: 10.0.0.0/8   # one\n\n',
    );
    fc.assert(
      fc.property(path, around, fc.string({ minLength: 1 }), (keys, more, value) => {
        const before = `${head}${more}roads:\n  nestcam: ":3000"  # the camera\n`;
        const after = setAt(before, keys, value);
        if (after === null) throw new Error('not edited');
        const wanted = parse(before) as Record<string, unknown>;
        keys.reduce<Record<string, unknown>>((at, key, depth) => {
          if (depth === keys.length - 1) at[key] = value;
          else at[key] ??= {};
          return at[key] as Record<string, unknown>;
        }, wanted);
        expect(parse(after)).toEqual(wanted);
        for (const comment of before.match(/#[^\n]*/g) ?? []) expect(after).toContain(comment);
        expect(setAt(after, keys, value)).not.toBe(null);
      }),
    );
  });

  test.each([
    [['add'], 'Name the road, and where it leads.'],
    [['set', 'nestcam', 'gate'], 'The value of `gate` is missing.'],
    [['set', 'nestcam', 'gate', 'home', '--unset'], 'not both'],
    [['set', 'nestcan', 'gate', 'home'], 'Did you mean nestcam?'],
    [['set', 'nestcam', 'gte', 'home'], 'The map was not changed.'],
    [['set', 'nestcam', 'rate', '20'], 'The map was not changed.'],
    [['set', 'nestcam', 'to', '--unset'], 'The map was not changed.'],
    [['add', 'nestcam', 'owls:3000'], 'is already on the map, in line 8'],
    [['add', 'NESTCAM.saltmarsh.example.', 'owls:3000'], 'is already on the map'],
    [['add', 'ne_st', 'owls:3000'], 'cannot be the name of a road'],
    [['add', 'owls'], 'The target of the road is missing.'],
    [['add', 'owls', 'owls:3000', '--redirect', 'https://a.example'], 'leads to one place'],
    [['add', 'owls', 'owls:3000', '--like', 'nestcan'], 'Did you mean nestcam?'],
    [['pause', 'sighting'], 'Did you mean sightings?'],
    [['set', 'front.adress', '203.0.113.9'], 'The map was not changed.'],
    [['set', 'front.address'], 'The value of `front.address` is missing.'],
    [['set', 'owl*', 'gate', 'home'], 'No road is called owl*'],
    [['set', '--all', 'gate', 'hom'], 'The map was not changed.'],
    [['remove', 'zzz'], 'No road is called zzz'],
    [['add', 'owls', 'owls'], 'The map was not changed.'],
  ])('%j is refused, and the map stays', async (argv, words) => {
    const folder = folderWith(files);
    const { code, err } = await mileMarker(argv, folder);
    expect([code, err]).toEqual([2, expect.stringContaining(words)]);
    expect(map(folder)).toBe(text);
  });

  test('what stands below the roads moves down with them', async () => {
    const above = 'domains: [saltmarsh.example]\nengine: none\n\nroads:\n  sightings: :8080\n';
    const below = 'gates:\n  wardens: {networks: 192.168.64.0/24}\nfront:\n  address: 203.0.113.24\n  proxy: nginx\n';
    const folder = folderWith({ 'mile-marker.yaml': above + below });
    const { code } = await mileMarker(['add', 'owls', ':8081'], folder);
    expect(code).toBeLessThan(2);
    expect(map(folder)).toBe(`${above}  owls: :8081\n${below}`);
  });

  test('a byte order mark stays', async () => {
    const folder = folderWith({ ...files, 'mile-marker.yaml': `\ufeff${text}` });
    await mileMarker(['pause', 'nestcam'], folder);
    await mileMarker(['resume', 'nestcam'], folder);
    expect(map(folder)).toBe(`\ufeff${text}`);
  });

  test('a map behind a link stays behind it, with its owner and mode', async () => {
    const folder = folderWith({ ...files, 'real/map.yaml': text });
    writeFileSync(join(folder, 'mile-marker.yaml'), '');
    const link = join(folder, 'linked.yaml');
    symlinkSync('real/map.yaml', link);
    chmodSync(join(folder, 'real/map.yaml'), 0o640);
    const isRoot = process.getuid?.() === 0;
    if (isRoot) chownSync(join(folder, 'real/map.yaml'), 65534, 65534);
    expect((await mileMarker(['pause', 'nestcam', '--map', 'linked.yaml'], folder)).code).toBe(0);
    expect(readlinkSync(link)).toBe('real/map.yaml');
    const { mode, uid } = statSync(join(folder, 'real/map.yaml'));
    expect([mode & 0o777, uid]).toEqual([0o640, isRoot ? 65534 : process.getuid?.()]);
  });
});

test("add --like takes over every key but what is the other road's own", async () => {
  const model =
    '  nestcam:\n    to: nestcam:3000\n    gate: [wardens, home]\n    rate: 20/s burst 40\n    cors: {origins: [https://a.example], credentials: true}\n    notes: wipe the lens\n    expect: {path: /live}\n';
  const gates = 'gates: {wardens: {networks: 192.168.64.0/24}}\n';
  const folder = folderWith({ 'mile-marker.yaml': `${head}${gates}roads:\n${model}` });
  const { code } = await mileMarker(['add', 'owls', 'owls:8000', '--like', 'nestcam'], folder);
  expect(readFileSync(join(folder, 'mile-marker.yaml'), 'utf8')).toBe(
    `${head}${gates}roads:\n${model}  owls:\n    to: owls:8000\n    gate: [wardens, home]\n    rate: 20/s burst 40\n    cors: {origins: [https://a.example], credentials: true}\n`,
  );
  expect(code).toBe(0);
});
