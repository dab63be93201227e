import {
  chmodSync,
  cpSync,
  existsSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  readlinkSync,
  rmSync,
  statSync,
  symlinkSync,
  writeFileSync,
} from 'node:fs';
import { X509Certificate } from 'node:crypto';
import { spawnSync } from 'node:child_process';
import { join } from 'node:path';
import { nginxProgram } from '../support/fronts.ts';
import { freePorts } from '../support/ports.ts';
import { folderWith, mileMarker, mileMarkerProcess } from '../support/program.ts';
import { practiceHead } from '../support/site.ts';

const diskHook = join(__dirname, '../support/faults.mjs');
const small = `domains: [saltmarsh.example]
front: {address: 203.0.113.24, home-networks: 192.168.64.0/24, proxy: nginx, ports: {http: 8083, https: 8446}}
roads:
  nestcam: {to: ":3000", gate: everyone}
`;

describe('init', () => {
  test('writes a first map that check accepts, and never overwrites one', async () => {
    const folder = folderWith({ 'compose.yaml': 'services: {}\n' });
    const argv = ['init', '--domain', 'Saltmarsh.Example', '--address', '203.0.113.24', '2001:db8:40::24'];
    expect(await mileMarker(argv, folder)).toMatchObject({ code: 0, out: 'mile-marker.yaml\n' });
    const written = readFileSync(join(folder, 'mile-marker.yaml'), 'utf8');
    expect(written).toContain('domains: [saltmarsh.example]');
    expect(written).toContain('address: [203.0.113.24, "2001:db8:40::24"]');
    expect(written).toContain('compose: [compose.yaml]');
    expect(await mileMarker(['check'], folder)).toMatchObject({
      code: 0,
      out: expect.not.stringContaining('already'),
    });
    const again = await mileMarker(argv, folder);
    expect(again).toMatchObject({ code: 2, out: '' });
    expect(again.err).toContain('There is already a map');
    expect(readFileSync(join(folder, 'mile-marker.yaml'), 'utf8')).toBe(written);
    // The schema for editors lies in the folder of everything else that is ours.
    expect(readdirSync(folder).sort()).toEqual(['.mile-marker', 'compose.yaml', 'mile-marker.yaml']);
    expect(readdirSync(join(folder, '.mile-marker')).sort()).toEqual(['.gitignore', 'map.schema.json']);
  });

  test.each([
    [['--domain', 'salt_marsh.example', '--address', '203.0.113.24'], 'character that is not allowed in host names: _'],
    [['--domain', 'saltmarsh.example', '--address', '203.0.113.300'], 'expects an IPv4 or IPv6 address'],
    [['--domain', 'saltmarsh.example'], '--address'],
  ])('%j is refused', async (options, words) => {
    const folder = folderWith();
    const { code, err } = await mileMarker(['init', ...options], folder);
    expect([code, err]).toEqual([2, expect.stringContaining(words)]);
    expect(readdirSync(folder)).toEqual([]);
  });
});

describe('finding the map', () => {
  test('--map, then MILE_MARKER_MAP, then the nearest above; the one used is printed', async () => {
    const folder = folderWith({
      'mile-marker.yaml': small,
      'deep/er/x': '',
      'other.yaml': small.replace('nestcam', 'fromenv'),
      'third.yaml': small.replace('nestcam', 'named'),
    });
    const deep = join(folder, 'deep/er');
    const env = { MILE_MARKER_MAP: join(folder, 'other.yaml') };
    const above = await mileMarker(['roads'], deep);
    expect(above.out).toContain('nestcam.saltmarsh.example');
    expect(above.err).toContain(`map: ${join(folder, 'mile-marker.yaml')}`);
    expect((await mileMarker(['roads'], deep, env)).out).toContain('fromenv.saltmarsh.example');
    expect((await mileMarker(['roads', '--map', '../../third.yaml'], deep, env)).out).toContain(
      'named.saltmarsh.example',
    );
  });

  test.each<[string, string[], string, { own?: boolean }, string | null]>([
    ['another is nearest', ['roads', '--map', 'site/mile-marker.yaml'], '.', {}, ' --map site/mile-marker.yaml'],
    ['it is nearest anyway', ['roads', '--map', '../site/mile-marker.yaml'], 'site', {}, null],
    ['the environment names it', ['roads', '--map', 'site/mile-marker.yaml'], '.', { own: true }, null],
    ['an edit', ['pause', 'nestcam', '--map', 'a site/map.yaml'], '.', {}, " --map 'a site/map.yaml'"],
  ])('whether the next commands need --map, too, is said: %s', async (_, argv, where, { own = false }, words) => {
    const folder = folderWith({
      'mile-marker.yaml': small,
      'site/mile-marker.yaml': small,
      'a site/map.yaml': small,
    });
    const env = own ? { MILE_MARKER_MAP: join(folder, 'site/mile-marker.yaml') } : {};
    const { err } = await mileMarker(argv, join(folder, where), env);
    expect(/Commands below need it too:(.*)/.exec(err)?.[1] ?? null).toBe(words);
  });

  test.each([
    ['none anywhere', [], {}, 'There is no mile-marker.yaml'],
    ['a folder', ['--map', '.'], {}, 'it is a folder'],
    ['nothing', ['--map', 'gone.yaml'], {}, 'it does not exist'],
    ['not UTF-8', ['--map', 'latin.yaml'], {}, 'not UTF-8'],
    ['huge', ['--map', 'huge.yaml'], {}, 'larger than 1 MiB'],
  ])('%s: one clear error and exit code 2', async (_, options, env, words) => {
    const folder = folderWith({ 'huge.yaml': '#'.repeat(1_100_000) });
    writeFileSync(join(folder, 'latin.yaml'), Buffer.from('domains: [\u00e4.example]', 'latin1'));
    for (const command of ['check', 'roads', 'write', 'serve', 'verify']) {
      const { code, out, err } = await mileMarker([command, ...options], folder, env);
      expect([command, code, out]).toEqual([command, 2, '']);
      expect(err).toContain(words);
      expect(err).not.toMatch(/\n\s+at /);
    }
  });
});

describe('check', () => {
  test('judges, prints what to do, and says by its exit code which kind of wrong it is', async () => {
    const folder = folderWith({ 'mile-marker.yaml': small });
    const missing = await mileMarker(['check'], folder);
    expect(missing).toMatchObject({
      code: 1,
      out: expect.stringContaining('do: Run: mile-marker certs make') as string,
    });
    await mileMarker(['certs', 'make'], folder);
    expect((await mileMarker(['check'], folder)).code).toBe(0);
    writeFileSync(join(folder, 'mile-marker.yaml'), `${small}compose: [gone.yaml]\n`);
    const gone = await mileMarker(['check', '--json'], folder);
    expect(gone.code).toBe(1);
    const document = JSON.parse(gone.out) as { format: string; version: number; findings: unknown[] };
    expect([document.format, document.version]).toEqual(['mile-marker-check', 1]);
    // Without root there is a note beside it: nginx shows its configuration to root only.
    expect(document.findings[0]).toMatchObject({
      rule: 'compose-unreadable',
      severity: 'error',
      leg: null,
      where: { file: 'mile-marker.yaml', line: 5, column: 11 },
      message: expect.stringContaining('does not exist') as string,
    });
    writeFileSync(join(folder, 'mile-marker.yaml'), 'domains: []\n');
    expect((await mileMarker(['check', '--json'], folder)).code).toBe(2);
  });

  test('--fail-on warning makes a warning count', async () => {
    const folder = folderWith({
      'mile-marker.yaml': `${small}  open: open:80\ncompose: [c.yaml]\n`,
      'c.yaml': 'services: {open: {ports: ["${PORT}:80"]}}',
      '.env': 'PORT=8081\n',
    });
    await mileMarker(['certs', 'make'], folder);
    expect((await mileMarker(['check'], folder)).code).toBe(0);
    expect((await mileMarker(['check', '--fail-on', 'warning'], folder)).code).toBe(1);
    // The environment wins over .env, as the Compose Specification has it.
    expect((await mileMarker(['roads'], folder, { PORT: '8099' })).out).toContain('open:80 at 127.0.0.1:8099');
  });
});

describe('certs make', () => {
  test('makes the authority once, leafs that it signed, and nothing that others can read', async () => {
    const folder = folderWith({ 'mile-marker.yaml': small });
    const state = join(folder, '.mile-marker');
    expect((await mileMarker(['certs', 'make'], folder)).out).toMatch(
      /nestcam\.saltmarsh\.example +\d{4}-\d\d-\d\d +made/,
    );
    const leafFile = join(state, 'certificates/nestcam.saltmarsh.example/current/certificate.pem');
    const leaf = new X509Certificate(readFileSync(leafFile));
    const authority = new X509Certificate(readFileSync(join(state, 'practice/authority.pem')));
    expect(leaf.verify(authority.publicKey)).toBe(true);
    expect(leaf.checkHost('nestcam.saltmarsh.example')).toBe('nestcam.saltmarsh.example');
    expect((Date.parse(leaf.validTo) - Date.parse(leaf.validFrom)) / 86_400_000).toBeLessThanOrEqual(397);
    for (const key of ['practice/authority.key', 'certificates/nestcam.saltmarsh.example/current/key.pem']) {
      expect(statSync(join(state, key)).mode & 0o777).toBe(0o600);
    }
    expect(readFileSync(join(state, '.gitignore'), 'utf8')).toBe('*\n');
    const before = readFileSync(leafFile, 'utf8');
    writeFileSync(join(folder, 'mile-marker.yaml'), `${small}  roster: :5000\n`);
    expect((await mileMarker(['certs', 'make'], folder)).out).toMatch(/nestcam.* kept\n.*roster.* made/);
    expect(readFileSync(leafFile, 'utf8')).toBe(before);
    expect(new X509Certificate(readFileSync(join(state, 'practice/authority.pem'))).fingerprint256).toBe(
      authority.fingerprint256,
    );
  });

  test('an authority whose key is not its own is told, not used', async () => {
    const folder = folderWith({ 'mile-marker.yaml': small });
    const other = folderWith({ 'mile-marker.yaml': small });
    await mileMarker(['certs', 'make'], folder);
    await mileMarker(['certs', 'make'], other);
    const key = '.mile-marker/practice/authority.key';
    writeFileSync(join(folder, key), readFileSync(join(other, key)));
    expect(await mileMarker(['certs', 'make'], folder)).toMatchObject({
      code: 3,
      err: expect.stringContaining('do not belong together') as string,
    });
  });
});

describe('write', () => {
  const current = '.mile-marker/front/current';

  test('many new files of one folder are one line, and each is in the document', async () => {
    const roads = Array.from({ length: 11 }, (_, index) => `  hide-${String(index)}: ":9"\n`).join('');
    const map = 'domains: [saltmarsh.example]\nfront: {address: 203.0.113.24, proxy: nginx}\nengine: none\nroads:\n';
    const folder = folderWith({ 'mile-marker.yaml': `${map}${roads}` });
    const { out } = await mileMarker(['write', '--dry-run'], folder);
    expect(out).toContain('\nnew     roads/ (11 files)\n');
    const { out: document } = await mileMarker(['write', '--dry-run', '--json'], folder);
    expect(document.match(/"roads\/hide-\d+\.saltmarsh\.example\.conf"/g)).toHaveLength(11);
  });

  test('writes once, changes nothing the second time, and keeps every edition', async () => {
    const folder = folderWith({ 'mile-marker.yaml': small });
    const first = await mileMarker(['write'], folder);
    expect(first.code).toBe(0);
    expect(first.out).toBe(
      'new     front.conf\nnew     mark.conf\nnew     proxying.conf\nnew     roads/nestcam.saltmarsh.example.conf\nnew     serving.conf\nnew     told.conf\nnew     way-in.md\nnew     way-in.nft\n',
    );
    // Without a certificate the server must still start: a throwaway one lies on the stable path.
    expect(first.err).toContain('until they have a real certificate');
    expect(
      new X509Certificate(
        readFileSync(join(folder, '.mile-marker/certificates/nestcam.saltmarsh.example/current/certificate.pem')),
      ).subjectAltName,
    ).toBeUndefined();
    const again = await mileMarker(['write'], folder);
    expect(again).toMatchObject({
      code: 0,
      out: '',
      err: expect.stringContaining('Nothing changed. Edition 0001') as string,
    });
    expect(readdirSync(join(folder, '.mile-marker/front/editions'))).toEqual(['0001']);
    await mileMarker(['certs', 'make'], folder);
    expect((await mileMarker(['write'], folder)).err).toContain('Nothing changed');

    // A line that moves is no change of any road.
    writeFileSync(join(folder, 'mile-marker.yaml'), `# moved\n\n${small}`);
    expect((await mileMarker(['write'], folder)).err).toContain('Nothing changed');

    writeFileSync(join(folder, 'mile-marker.yaml'), small.replace('3000', '3001'));
    const diff = await mileMarker(['write', '--diff'], folder);
    expect(diff.out).toContain(
      '-        proxy_pass http://127.0.0.1:3000;\n+        proxy_pass http://127.0.0.1:3001;',
    );
    expect((await mileMarker(['write', '--dry-run'], folder)).out).toContain('changed roads/nestcam');
    expect(readlinkSync(join(folder, current))).toBe('editions/0001');
    const second = await mileMarker(['write', '--json'], folder);
    expect(JSON.parse(second.out)).toMatchObject({ format: 'mile-marker-write', edition: 2, written: true });
    expect(readlinkSync(join(folder, current))).toBe('editions/0002');
    expect(readFileSync(join(folder, current, 'mark.txt'), 'utf8')).toMatch(/^edition 0002 sha256:[0-9a-f]{64}\n/);
    const journal = readFileSync(join(folder, '.mile-marker/front/journal.jsonl'), 'utf8').trim().split('\n');
    expect(journal.map((line) => (JSON.parse(line) as { event: string }).event)).toEqual([
      'prepared',
      'switched',
      'prepared',
      'switched',
    ]);
  });

  test('an error in the map stops it, and the old edition stays', async () => {
    const folder = folderWith({ 'mile-marker.yaml': small });
    await mileMarker(['write'], folder);
    writeFileSync(join(folder, 'mile-marker.yaml'), `${small}  roster: roster:5000\n`);
    expect(await mileMarker(['write'], folder)).toMatchObject({
      code: 1,
      out: expect.stringContaining('service-unknown') as string,
    });
    expect(readlinkSync(join(folder, current))).toBe('editions/0001');
  });

  test('what an interrupted run left behind is cleared away, and its number is free', async () => {
    const folder = folderWith({
      'mile-marker.yaml': small,
      '.mile-marker/front/editions/.0001.new/roads/half.conf': 'half',
    });
    expect((await mileMarker(['write'], folder)).code).toBe(0);
    expect(readdirSync(join(folder, '.mile-marker/front/editions'))).toEqual(['0001']);
  });

  test('nothing is written through a link, nor over what somebody else put there', async () => {
    const folder = folderWith({ 'mile-marker.yaml': small, 'victim/keep': 'mine' });
    mkdirSync(join(folder, '.mile-marker'));
    symlinkSync(join(folder, 'victim'), join(folder, '.mile-marker/front'));
    expect(await mileMarker(['write'], folder)).toMatchObject({
      code: 3,
      err: expect.stringContaining('is a link') as string,
    });
    expect(readdirSync(join(folder, 'victim'))).toEqual(['keep']);
    rmSync(join(folder, '.mile-marker/front'));
    mkdirSync(join(folder, '.mile-marker/front/current'), { recursive: true });
    expect(await mileMarker(['write'], folder)).toMatchObject({
      code: 3,
      err: expect.stringContaining('is not a link') as string,
    });
  });

  test('a folder whose path would change the meaning of the configuration is refused', async () => {
    const folder = folderWith({ 'mile-marker.yaml': small });
    expect(await mileMarker(['write', '--out', 'a$b'], folder)).toMatchObject({
      code: 2,
      err: expect.stringContaining('"$"') as string,
    });
    expect(existsSync(join(folder, 'a$b'))).toBe(false);
    expect((await mileMarker(['write', '--out', 'with "blank; {it}'], folder)).code).toBe(0);
  });

  test.each(['blocked', '/proc/mile-marker'])(
    'a place where nothing can be written (%s): one clear error',
    async (out) => {
      const folder = folderWith({ 'mile-marker.yaml': small, blocked: 'a file, not a folder' });
      const { code, err } = await mileMarker(['write', '--out', out], folder);
      expect([code, err]).toEqual([
        3,
        expect.stringMatching(/Cannot write .*: (part of its path is not a folder|it does not exist)/),
      ]);
      expect(readFileSync(join(folder, 'blocked'), 'utf8')).toBe('a file, not a folder');
    },
  );

  test('Ctrl-C at any change on the disk leaves the old state or the new one, and the next run the new one', async () => {
    const roads = Array.from({ length: 8 }, (_, index) => `  station-${String(index)}: :80`).join('\n');
    const { head } = await practiceHead('nginx');
    const at = async (folder: string, env: Record<string, string>): Promise<number | null> => {
      const { code } = await mileMarkerProcess(['write'], folder, { NODE_OPTIONS: `--import ${diskHook}`, ...env });
      return code;
    };
    const site = (): string => folderWith({ 'mile-marker.yaml': `${head}roads:\n${roads}\n` });
    const whole = site();
    expect(await at(whole, { FAULT_COUNT: join(whole, 'count') })).toBe(0);
    const changes = Number(readFileSync(join(whole, 'count'), 'utf8'));
    expect(changes).toBeGreaterThan(40);
    let half = 0;
    for (const number of [1, 0.3, 0.6, 0.9].map((share) => Math.ceil(share * changes))) {
      for (const times of ['once', 'twice']) {
        const folder = site();
        // By its own exit code, or by the signal where nothing had to be put in order.
        expect([130, null]).toContain(await at(folder, { FAULT: times, FAULT_AT: String(number) }));
        const front = join(folder, '.mile-marker/front');
        const written = (): number => readdirSync(join(front, 'current/roads')).length;
        if (existsSync(join(front, 'current'))) expect(written()).toBe(8);
        else half += 1;
        expect((await mileMarker(['write'], folder)).code).toBe(0);
        expect(written()).toBe(8);
        expect(readdirSync(join(front, 'editions')).filter((name) => name.startsWith('.'))).toEqual([]);
      }
    }
    expect(half).toBeGreaterThan(0);
  });
});

test('Compose files that include and extend others, each with its own .env; what is missing is told where it is named', async () => {
  const folder = folderWith({
    'mile-marker.yaml': `${small}  log: log:80\n  roster: roster:5000\n  tides: tides:8000\ncompose: [stack/compose.yaml]\n`,
    'stack/compose.yaml':
      'include:\n  - ../office/compose.yaml\n  - path: [tides.yaml]\n  - gone.yaml\nservices:\n  log:\n    extends: {file: base.yaml, service: web}\n',
    'stack/base.yaml': 'services: {web: {ports: ["127.0.0.1:${PORT}:80"]}}\n',
    'stack/tides.yaml': 'include: [compose.yaml]\nservices: {tides: {ports: ["127.0.0.1:${PORT}1:8000"]}}\n',
    'stack/.env': 'PORT=808\n',
    'office/compose.yaml': 'services: {roster: {ports: ["127.0.0.1:${PORT}:5000"]}}\n',
    'office/.env': 'PORT=5005\n',
  });
  const { out } = await mileMarker(['roads'], folder);
  for (const words of ['log:80 at 127.0.0.1:808', 'roster:5000 at 127.0.0.1:5005', 'tides:8000 at 127.0.0.1:8081'])
    expect(out).toContain(words);
  const checked = await mileMarker(['check', '--json'], folder);
  const { findings } = JSON.parse(checked.out) as { findings: Array<{ rule: string; where: unknown }> };
  expect(findings.filter(({ rule }) => rule.startsWith('compose'))).toMatchObject([
    { rule: 'compose-unreadable', where: { file: 'stack/compose.yaml', line: 4 } },
  ]);
});

test('a site that the installed nginx already serves is told by its own dump, and does not keep the files from being written', async () => {
  const temporary = ['client_body', 'proxy', 'fastcgi', 'uwsgi', 'scgi']
    .map((name) => `${name}_temp_path ${name};`)
    .join(' ');
  const folder = folderWith({
    'mile-marker.yaml': small,
    'sites/old': 'server {\n  listen 8083 default_server;\n  server_name nestcam.saltmarsh.example;\n}\n',
    'own.conf': `events {}\nhttp { access_log off; ${temporary} include sites/*; include .mile-marker/front/current/front.con[f]; }\n`,
  });
  // The real nginx, with a configuration of our own in place of the machine's.
  mkdirSync(join(folder, 'bin'));
  writeFileSync(join(folder, 'own.conf'), `pid ${folder}/pid;\n${readFileSync(join(folder, 'own.conf'), 'utf8')}`);
  const wrapper = `#!/bin/sh\nexec ${nginxProgram()} -p ${folder} -c ${folder}/own.conf "$@"\n`;
  writeFileSync(join(folder, 'bin/nginx'), wrapper, { mode: 0o755 });
  const env = { PATH: `${join(folder, 'bin')}:${process.env['PATH'] ?? ''}` };
  await mileMarker(['certs', 'make'], folder, env);
  const checked = await mileMarker(['check'], folder, env);
  expect([checked.code, checked.out]).toEqual([
    1,
    expect.stringContaining(`The installed nginx already serves nestcam.saltmarsh.example`),
  ]);
  expect(checked.out).toContain('already has a default server on port 8083');
  const wrote = await mileMarker(['write'], folder, env);
  expect([wrote.code, wrote.err]).toEqual([0, expect.stringContaining('name-already-served')]);
  rmSync(join(folder, 'sites/old'));
  // Now only our own files are read, and they are nobody else's.
  const mine = await mileMarker(['check', '--json'], folder, env);
  expect([mine.code, mine.out.includes('already')]).toEqual([0, false]);
  expect(existsSync(join(folder, 'pid'))).toBe(false);
});

test('two maps in one nginx: names of their own, and what they cannot share is told; a setup that nginx refuses is told in its words', async () => {
  const temporary = ['client_body', 'proxy', 'fastcgi', 'uwsgi', 'scgi']
    .map((name) => `${name}_temp_path ${name};`)
    .join(' ');
  const mapOf = (ports: string, mark: number, roads: string): string =>
    `domains: [saltmarsh.example]\nfront: {address: 127.0.0.1, ports: {${ports}}, mark: "127.0.0.1:${String(mark)}", proxy: nginx, edge: {networks: [198.51.100.0/24], address-header: X-Client-Address, replaces-header: true}}\nengine: none\nroads: {${roads}}\n`;
  const [a = 0, b = 0, c = 0, d = 0, e = 0, f = 0] = await freePorts(6);
  const first = mapOf(`http: ${String(a)}, https: ${String(b)}`, c, 'a: ":9"');
  const folder = folderWith({
    'one/mile-marker.yaml': first,
    'two/mile-marker.yaml': mapOf(`http: ${String(d)}, https: ${String(e)}`, f, 'b: ":9"'),
  });
  const own = (more: string): void =>
    writeFileSync(
      join(folder, 'own.conf'),
      `pid ${folder}/pid;\nevents {}\nhttp { access_log off; ${temporary} include */.mile-marker/front/current/front.conf; ${more} }\n`,
    );
  own('');
  mkdirSync(join(folder, 'bin'));
  const wrapper = `#!/bin/sh\nexec ${nginxProgram()} -p ${folder} -c ${folder}/own.conf "$@"\n`;
  writeFileSync(join(folder, 'bin/nginx'), wrapper, { mode: 0o755 });
  const env = { PATH: `${join(folder, 'bin')}:${process.env['PATH'] ?? ''}` };
  const one = (command: string) => mileMarker([command, '--map', 'one/mile-marker.yaml', '--json'], folder, env);
  for (const map of ['one', 'two']) {
    await mileMarker(['certs', 'make', '--map', `${map}/mile-marker.yaml`], folder, env);
    expect((await mileMarker(['write', '--map', `${map}/mile-marker.yaml`], folder, env)).code).toBe(0);
  }
  const told = async (): Promise<string[]> => {
    const { findings } = JSON.parse((await one('check')).out) as { findings: Array<{ rule: string; message: string }> };
    return findings.filter(({ rule }) => /served|default/.test(rule)).map(({ rule, message }) => `${rule}: ${message}`);
  };
  const test = spawnSync(join(folder, 'bin/nginx'), ['-t', '-q', '-e', 'stderr'], { encoding: 'utf8' });
  expect([test.status, test.stderr]).toEqual([0, expect.not.stringContaining('[emerg]')]);
  expect(await told()).toEqual([]);
  // The same ports, on another address so that nginx itself has nothing against it.
  writeFileSync(join(folder, 'one/mile-marker.yaml'), mapOf(`http: ${String(d)}, https: ${String(e)}`, f, 'a: ":9"'));
  expect((await told()).map((words) => words.replace(/\d{4,}/, 'N').replace(/nginx: .*/, 'nginx'))).toEqual([
    'default-server-taken: Another map of yours answers strangers on port N, in the same nginx',
    'default-server-taken: Another map of yours answers strangers on port N, in the same nginx',
    'default-server-taken: Another map of yours answers its mark on port N, in the same nginx',
  ]);
  own('gulls on;');
  expect(await told()).toEqual([
    expect.stringMatching(/^served-not-known: The installed nginx does not accept .*unknown directive "gulls"/),
  ]);
});

test('a map with the other ending is noticed, and `serve` on a map for nginx says what to do', async () => {
  const other = folderWith({ 'mile-marker.yml': small });
  const named = await mileMarker(['check'], other);
  expect([named.code, named.err]).toEqual([
    2,
    expect.stringContaining(`mv ${other}/mile-marker.yml ${other}/mile-marker.yaml`),
  ]);
  const folder = folderWith({ 'mile-marker.yaml': small });
  const { code, err } = await mileMarker(['serve'], folder);
  expect([code, err]).toEqual([2, expect.stringContaining('The map says `proxy: nginx`')]);
  expect(err).toContain('To have nginx serve the map: mile-marker install.');
});

test('roads --why says how each address was found, and who is at home', async () => {
  const text = `domains: [saltmarsh.example]\nfront: {address: 203.0.113.24, home-networks: 192.168.64.0/24}\ncompose: c.yaml\nroads: {log: "log:80", self: ":9400"}\n`;
  const folder = folderWith({ 'mile-marker.yaml': text, 'c.yaml': 'services: {log: {ports: ["127.0.0.1:8081:80"]}}' });
  const { out } = await mileMarker(['roads', '--why'], folder);
  expect(out).toContain('log.saltmarsh.example: service log publishes its port 80 on 127.0.0.1:8081\n');
  expect(out).toContain('self.saltmarsh.example: a port of this machine, as the map says\n');
  expect(out).toContain('home is 192.168.64.0/24: as `front.home-networks` says\n');
});

test('output for pipes has no colour, also where others colour theirs, and a narrow terminal gets whole lines', async () => {
  const folder = folderWith({ 'mile-marker.yaml': `${small}  roster: roster:5000\n` });
  const { out, err } = await mileMarkerProcess(['check'], folder, { CI: '1', FORCE_COLOR: '1' });
  expect(out).toContain('do:');
  expect(out + err).not.toContain('\u001b');
  expect(Math.max(...out.split('\n').map((line) => line.length))).toBeLessThanOrEqual(80);
});

test('without the right to read or write: one clear error each, and nothing left behind', async () => {
  const folder = folderWith({ 'mile-marker.yaml': small, 'secret/mile-marker.yaml': small });
  // Root may do anything, so the program runs as nobody, from a copy that nobody can read.
  cpSync(join(__dirname, '../../dist'), join(folder, 'dist'), { recursive: true });
  chmodSync(folder, 0o755);
  chmodSync(join(folder, 'secret/mile-marker.yaml'), 0o000);
  const asNobody = (argv: string[]) => {
    const nobody = process.getuid?.() === 0 ? { uid: 65534, gid: 65534 } : {};
    return spawnSync(process.execPath, [join(folder, 'dist/mile-marker.js'), ...argv], {
      cwd: folder,
      encoding: 'utf8',
      ...nobody,
    });
  };
  if (process.getuid?.() !== 0) chmodSync(folder, 0o555);
  const read = asNobody(['check', '--map', 'secret/mile-marker.yaml']);
  expect([read.status, read.stderr]).toEqual([2, expect.stringContaining('permission denied')]);
  for (const argv of [['write'], ['certs', 'make'], ['init', '--domain', 'a.example', '--address', '203.0.113.24']]) {
    const { status, stderr } = asNobody(argv);
    expect([status, stderr]).toEqual([3, expect.stringMatching(/Cannot write .*: permission denied\.\n {2}do: /)]);
  }
  expect(readdirSync(folder).sort()).toEqual(['dist', 'mile-marker.yaml', 'secret']);
  chmodSync(folder, 0o755);
});
