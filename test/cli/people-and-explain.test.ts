import { chmodSync, existsSync, mkdirSync, readFileSync, statSync, symlinkSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { ended, folderWith, launch, mileMarker, type Ran } from '../support/program.ts';
import { fileUser } from '../../src/adapters/host/file-user.ts';
import { programOf } from '../../src/core/proxies/programs.ts';

const head =
  'domains: [saltmarsh.example]\nfront: {address: 127.0.0.1, ports: {http: 18080, https: 18443}, home-networks: [192.168.64.0/24]';
const map = `${head}}
gates:
  wardens: {people: people/w, networks: [192.168.64.0/24], need: any, except: [/hooks/]}
roads:
  roster: {to: ":5000", gate: wardens}
  bench: :9
  www: {redirect: https://roster.saltmarsh.example, gate: everyone}
`;

/** Runs the program with text on its standard input. */
function typed(argv: string[], folder: string, text: string): Promise<Ran> {
  const child = launch(argv, folder);
  child.stdin.write(text);
  return ended(child);
}

test('people: added by standard input or made up, listed, checked, taken out, and never the last one', async () => {
  const folder = folderWith({ 'mile-marker.yaml': map });
  const file = join(folder, 'people/w');
  const added = await typed(['people', 'add', 'edda', '--stdin'], folder, 'tern over the spit\n');
  expect(added).toMatchObject({
    code: 0,
    out: '',
    err: expect.stringContaining('edda can log in at the gate wardens, the only person: people/w'),
  });
  expect(statSync(file).mode & 0o777).toBe(0o600);
  const made = await mileMarker(['people', 'add', 'joost', '--generate'], folder);
  expect(made.out).toMatch(/^[a-z2-9]{5}(-[a-z2-9]{5}){3}\n$/);
  writeFileSync(
    file,
    `# who may see the roster\r\n${readFileSync(file, 'utf8')}mia:{SHA}fEqNCco3Yq9h5ZUglD3CZJT4lBs=\n`,
  );
  await typed(['people', 'add', 'edda', '--stdin'], folder, 'curlew at low water\n');
  expect(readFileSync(file, 'utf8')).toMatch(/^# who may see the roster\r\nedda:\$2y\$0[5-8]\$[^\r\n]{53}\r\njoost:/);
  const { out } = await mileMarker(['people', 'list'], folder);
  expect(out).toMatch(/edda +bcrypt, [5-8] .* good\njoost .* good\nmia +sha1 .* weak: set it again/);
  const check = async (name: string, password: string): Promise<unknown> => {
    const ran = await typed(['people', 'check', name, '--stdin'], folder, password);
    return [ran.code, ran.out];
  };
  expect(await check('edda', 'curlew at low water')).toEqual([0, 'right\n']);
  expect(await check('edda', 'tern over the spit')).toEqual([1, 'wrong\n']);
  expect(await check('mia', '123456')).toEqual([0, 'right\n']);
  expect((await mileMarker(['people', 'remove', 'edda'], folder)).code).toBe(0);
  expect((await mileMarker(['people', 'remove', 'edda'], folder)).err).toContain('Name one of: joost, mia.');
  expect((await mileMarker(['people', 'remove', 'mia'], folder)).code).toBe(0);
  expect(await mileMarker(['people', 'remove', 'joost'], folder)).toMatchObject({
    code: 2,
    err: expect.stringContaining('would lock everyone out'),
  });
});

test.each<[string, string, string]>([
  ['edda', 'edda1234', 'it is made of the name, or of names on the map'],
  ['edda', 'saltmarsh', 'it is made of the name, or of names on the map'],
  ['edda', 'password1', 'it is a common password'],
  ['edda', 'qwertyuiop', 'one of the hundred most used passwords'],
  ['edda', 'short', 'fewer than eight characters'],
  ['edda', 'x'.repeat(73), 'longer than 72 bytes'],
  ['edda', 'tab\there and there', 'a control character'],
  ['edda', '', 'it is empty'],
  ['a:b', 'tern over the spit', 'it has a colon'],
  ['#x', 'tern over the spit', 'is a comment'],
])('%s with the password %j is refused, and nothing is written', async (name, password, why) => {
  const folder = folderWith({ 'mile-marker.yaml': map });
  const ran = await typed(['people', 'add', name, '--stdin'], folder, `${password}\n`);
  expect([ran.code, ran.err]).toEqual([2, expect.stringContaining(why)]);
  expect(existsSync(join(folder, 'people'))).toBe(false);
});

test('people: a line for a Compose file, a link in the way, several files, no gate, and nobody to ask', async () => {
  const folder = folderWith({ 'mile-marker.yaml': map.replace('roads:', '  ringers: {people: r}\nroads:') });
  const line = await typed(
    ['people', 'add', 'edda', '--stdin', '--print', '--for-compose', '--gate', 'wardens'],
    folder,
    'tern over the spit',
  );
  expect(line.out).toMatch(/^edda:\$\$2y\$\$0[5-8]\$\$[./A-Za-z0-9]{53}\n$/);
  expect(existsSync(join(folder, 'people'))).toBe(false);
  const listed = await mileMarker(['people', 'list'], folder);
  expect([listed.code, listed.err]).toEqual([
    0,
    expect.stringMatching(/at the gate wardens: people\/w[^]*at the gate ringers: r\n/),
  ]);
  expect((await mileMarker(['people', 'list', '--json'], folder)).err).toContain(
    'more than one password file: people/w, r.',
  );
  expect((await mileMarker(['people', 'list', '--gate', 'none'], folder)).err).toContain('The map has no gate `none`.');
  expect((await mileMarker(['people', 'add', 'edda', '--gate', 'ringers'], folder)).err).toContain(
    'with --stdin, or generate one with --generate',
  );
  symlinkSync('elsewhere', join(folder, 'r'));
  expect((await mileMarker(['people', 'add', 'edda', '--gate', 'ringers', '--generate'], folder)).err).toContain(
    'nothing is written through links',
  );
  expect(existsSync(join(folder, 'elsewhere'))).toBe(false);
});

test('a password file for nginx is opened to its group and to nobody else, and keeps its owner', async () => {
  const folder = folderWith({ 'mile-marker.yaml': map.replace('127.0.0.1,', '127.0.0.1, proxy: nginx,') });
  const { err } = await mileMarker(['people', 'add', 'edda', '--generate'], folder);
  const user = fileUser(programOf('nginx').users);
  if (process.getuid?.() !== 0) {
    // Nobody but root may give a file to another group; it stays closed.
    expect([err.includes('can read the file'), statSync(join(folder, 'people/w')).mode & 0o777]).toEqual([
      false,
      0o600,
    ]);
    return;
  }
  expect(err).toContain(`only ${user?.name ?? ''} can read the file`);
  const file = join(folder, 'people/w');
  const before = statSync(file);
  expect([before.mode & 0o777, before.gid]).toEqual([0o640, user?.groups[0]]);
  chmodSync(file, 0o660);
  await mileMarker(['people', 'add', 'joost', '--generate'], folder);
  const after = statSync(file);
  expect([after.mode & 0o777, after.gid, after.uid]).toEqual([0o660, before.gid, before.uid]);
  // The folder above is closed to nginx, which check says with the way out.
  const { out } = await mileMarker(['check'], folder);
  expect(out.replace(/\s+/g, ' ')).toContain(
    `nginx (user ${user?.name ?? ''}) cannot read ${file} because of: ${folder}.`,
  );
});

test.each<[string, string[], string]>([
  ['a stranger', ['roster'], '=> gate               4  `wardens`: no password was sent: answers 401'],
  ['somebody at home', ['roster', '--from', '192.168.64.7'], '=> leads              6  goes to http://127.0.0.1:5000/'],
  [
    'a person',
    ['https://roster.saltmarsh.example:18443/a%2Fb?c', '--as', 'edda'],
    'goes to http://127.0.0.1:5000/a%2Fb?c',
  ],
  [
    'an excepted path',
    ['https://roster.saltmarsh.example/hooks/x'],
    '`wardens`: excepted: the path is at or below /hooks/',
  ],
  [
    'a path that only looks excepted',
    ['https://roster.saltmarsh.example/hooks/../x'],
    '(a path that is not in normal form is never excepted): answers 401',
  ],
  ['plain HTTP', ['http://bench.saltmarsh.example/x?y'], 'sends to https://bench.saltmarsh.example:18443/x?y (308)'],
  ['home alone', ['bench'], '`home`: 203.0.113.77 is in none of its networks: answers 403'],
  ['an unknown name', ['no.saltmarsh.example'], 'no certificate is shown: the handshake is refused'],
  ['a method', ['roster', '--method', 'trace'], 'answers 405'],
])('explain: %s', async (_, argv, words) => {
  const folder = folderWith({ 'mile-marker.yaml': map });
  mkdirSync(join(folder, 'people'));
  writeFileSync(join(folder, 'people/w'), 'edda:x\n');
  const { code, out } = await mileMarker(['explain', ...argv], folder);
  expect([code, out.replace(/\n {20,}/g, ' ')]).toEqual([0, expect.stringContaining(words)]);
});

test('explain --all shows what is open to whom, and JSON says the same', async () => {
  const folder = folderWith({ 'mile-marker.yaml': map, 'people/w': 'edda:x\n' });
  const { out } = await mileMarker(['explain', '--all'], folder);
  expect(out).toBe(`road                      internet  net wardens  home    edda
roster.saltmarsh.example  password  passes       passes  passes
  /hooks/                 passes    passes       passes  passes
bench.saltmarsh.example   -         passes       passes  -
www.saltmarsh.example     passes    passes       passes  passes
`);
  const { rows } = JSON.parse((await mileMarker(['explain', '--all', '--json'], folder)).out) as {
    rows: Array<{ cells: string[] }>;
  };
  expect(rows.map(({ cells }) => cells[0])).toEqual(['password', 'passes', 'refused', 'passes']);
  for (const [argv, words] of [
    [['explain'], 'see everything with --all'],
    [['explain', 'roster', '--as', 'nobody'], 'Name one of: edda.'],
    [['explain', 'roster', '--from', 'home'], '--from expects an IPv4 or IPv6 address'],
    [['explain', 'roster', '--header', 'x'], '--header expects NAME: VALUE'],
    [['explain', 'a b'], 'neither a URL nor a road'],
  ] as const)
    expect(await mileMarker([...argv], folder)).toMatchObject({ code: 2, err: expect.stringContaining(words) });
});
