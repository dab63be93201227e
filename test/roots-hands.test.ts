import { spawnSync } from 'node:child_process';
import {
  chmodSync,
  chownSync,
  existsSync,
  lchownSync,
  lstatSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  renameSync,
  rmSync,
  statSync,
  symlinkSync,
  writeFileSync,
} from 'node:fs';
import { dirname, join } from 'node:path';
import fc from 'fast-check';
import { assertMayChange, rootsPlace } from '../src/adapters/files/bounds.ts';
import { keepFile, restoreFile } from '../src/adapters/files/kept-files.ts';
import { addLine, ensureFolder, switchLink, writeFirst, writeWhole } from '../src/adapters/files/safe-write.ts';
import { cronWord, unitPath, unitWord } from '../src/core/unit-words.ts';
import { folderWith, mileMarker } from './support/program.ts';

/**
 * What root does in a map of somebody else, who may put anything there: links, journals, folders. Run as root; in a container of one's own that is
 * `npm test` as it is.
 */

const keeper = 65534;
const isRoot = process.geteuid?.() === 0;

beforeAll(() => {
  if (!isRoot) throw new Error('these tests need root: run them in a container, or with sudo');
});

/** A map, with its folder, that belongs to another user. */
function mapOfKeeper(more: Record<string, string> = {}): string {
  const folder = folderWith({
    'mile-marker.yaml':
      'domains: [saltmarsh.example]\nfront: {address: 127.0.0.1, proxy: nginx}\nroads: {log: {to: ":9", gate: everyone}}\n',
    ...more,
  });
  chmodSync(folder, 0o755);
  spawnSync('chown', ['-R', `${String(keeper)}:${String(keeper)}`, folder]);
  return folder;
}

const looking = [
  ['check'],
  ['certs'],
  ['roads'],
  ['editions'],
  ['survey'],
  ['verify', '--links'],
  ['explain', '--all'],
];

describe('commands that look', () => {
  test.each(looking)('%s changes nothing of what a journal of another user names', async (...argv) => {
    const folder = mapOfKeeper();
    const precious = folderWith({
      'site.conf': '# Made by `mile-marker install`; `mile-marker undo front` removes it.\nx\n',
    });
    const front = join(folder, '.mile-marker', 'front');
    mkdirSync(front, { recursive: true });
    const path = join(precious, 'site.conf');
    const made = { path, content: '', proxy: 'nginx' };
    const place = { proxy: 'nginx', mark: { address: '127.0.0.1', port: 9 }, container: null };
    const written = join(precious, 'written');
    const change = {
      was: { place: null, answered: false, ran: false, current: null },
      makes: [{ path: written, content: 'root was here', proxy: 'nginx' }],
      removes: [made],
      restores: [],
    };
    const entry = {
      event: 'installing',
      at: '2026-12-01T00:00:00Z',
      from: null,
      to: null,
      include: null,
      ...place,
      change,
    };
    writeFileSync(join(front, 'journal.jsonl'), `${JSON.stringify(entry)}\n`);
    spawnSync('chown', ['-R', `${String(keeper)}:${String(keeper)}`, join(folder, '.mile-marker')]);
    await mileMarker([...argv, '--map', join(folder, 'mile-marker.yaml')], folder);
    expect([existsSync(path), existsSync(written)]).toEqual([true, false]);
  });

  test('and what changes something touches no file that is not of a server', async () => {
    const folder = mapOfKeeper();
    const front = join(folder, '.mile-marker', 'front');
    mkdirSync(front, { recursive: true });
    const precious = folderWith({
      'site.conf': '# Made by `mile-marker install`; `mile-marker undo front` removes it.\nx\n',
    });
    const path = join(precious, 'site.conf');
    const place = { proxy: 'nginx', mark: { address: '127.0.0.1', port: 9 }, container: null };
    const was = { place: null, answered: false, ran: false, current: null };
    const written = join(precious, 'written');
    const makes = [{ path: written, content: 'root was here', proxy: 'nginx' }];
    const change = { was, makes, removes: [{ path, content: '', proxy: 'nginx' }], restores: [] };
    const entry = {
      event: 'installing',
      at: '2026-12-01T00:00:00Z',
      from: null,
      to: null,
      include: null,
      ...place,
      change,
    };
    writeFileSync(join(front, 'journal.jsonl'), `${JSON.stringify(entry)}\n`);
    spawnSync('chown', ['-R', `${String(keeper)}:${String(keeper)}`, join(folder, '.mile-marker')]);
    const ran = await mileMarker(['install', '--map', join(folder, 'mile-marker.yaml')], folder);
    expect(ran.code).not.toBe(0);
    expect([existsSync(path), existsSync(written)]).toEqual([true, false]);
    expect(`${ran.out}${ran.err}`).toContain('Root leaves that file alone');
  });
});

describe('a map that is found', () => {
  const map = 'domains: [saltmarsh.example]\nfront: {address: 127.0.0.1}\nroads: {log: ":9"}\n';

  test.each<[string, (folder: string) => string]>([
    ['in a folder that everybody may write', (folder) => (chmodSync(folder, 0o777), folder)],
    ['in a folder that a group may write', (folder) => (chownSync(folder, 0, 100), chmodSync(folder, 0o775), folder)],
    [
      'of another user, below a sticky folder',
      (folder) => (chmodSync(folder, 0o1777), lchownSync(join(folder, 'mile-marker.yaml'), keeper, keeper), folder),
    ],
    [
      'above the current folder',
      (folder) => (chmodSync(folder, 0o777), mkdirSync(join(folder, 'sub')), join(folder, 'sub')),
    ],
  ])('%s is refused, with the way to name it', async (_, make) => {
    const folder = folderWith({ 'mile-marker.yaml': map });
    const cwd = make(folder);
    const ran = await mileMarker(['roads'], cwd);
    expect([ran.code, ran.err.replace(/\s+/g, ' ')]).toEqual([2, expect.stringContaining('others can write to')]);
    const [, named = ''] = /--map (\S+)/.exec(ran.err) ?? [];
    expect((await mileMarker(['roads', '--map', named], cwd)).code).toBe(0);
  });

  test.each<[string, (folder: string) => void]>([
    ['in a folder of its own', () => undefined],
    [
      'in the folder of its owner',
      (folder) => (chownSync(folder, keeper, keeper), chownSync(join(folder, 'mile-marker.yaml'), keeper, keeper)),
    ],
    ['with a group of the owner alone', (folder) => (chownSync(folder, 0, 0), chmodSync(folder, 0o775))],
  ])('%s is taken', async (_, make) => {
    const folder = folderWith({ 'mile-marker.yaml': map });
    make(folder);
    const below = join(folder, 'sub');
    mkdirSync(below);
    const ran = await mileMarker(['roads'], below);
    // Whose folder it is below the sticky one of all temporary files decides.
    expect([ran.code, statSync(folder).uid === 0]).toEqual(statSync(folder).uid === 0 ? [0, true] : [2, false]);
  });
});

test.each<[string, (folder: string) => void]>([
  ['of a third user', (root) => chownSync(root, 100, 100)],
  ['that a group may write', (root) => (chownSync(root, 0, 100), chmodSync(root, 0o775))],
  ['that is a link', (root) => (renameSync(root, `${root}.real`), symlinkSync(`${root}.real`, root))],
])('a state folder %s is refused, and no key is written into it', async (_, make) => {
  const folder = mapOfKeeper();
  const root = join(folder, '.mile-marker');
  mkdirSync(root);
  make(root);
  const ran = await mileMarker(['certs', 'make', '--map', join(folder, 'mile-marker.yaml')], folder);
  expect([ran.code, ran.err]).toEqual([2, expect.stringContaining('where keys are kept')]);
  expect(readdirSync(existsSync(`${root}.real`) ? `${root}.real` : root)).toEqual([]);
});

describe('root writes through no link of another user', () => {
  const writers: Array<[string, (path: string) => Promise<unknown>]> = [
    ['a file', (path) => writeWhole(path, 'x')],
    ['a first file', (path) => writeFirst(path, 'x')],
    ['a line', (path) => addLine(path, 'x', 0o600)],
    ['a link', (path) => switchLink(path, 'x')],
    ['a folder', (path) => ensureFolder(path)],
  ];

  test.each(writers)('%s', async (_, write) => {
    const folder = mapOfKeeper();
    const precious = folderWith();
    symlinkSync(precious, join(folder, 'led'));
    lchownSync(join(folder, 'led'), keeper, keeper);
    await expect(write(join(folder, 'led', 'written'))).rejects.toThrow(/link/);
    expect(readdirSync(precious)).toEqual([]);
  });

  test.each(writers)('%s where root itself made the link', async (_, write) => {
    const real = folderWith();
    const led = join(folderWith(), 'led');
    symlinkSync(real, led);
    await write(join(led, 'written'));
    expect(readdirSync(real)).toEqual(['written']);
  });

  test('a journal that is another file, too, gets no line', async () => {
    const folder = mapOfKeeper({ other: 'x\n' });
    spawnSync('ln', [join(folder, 'other'), join(folder, 'journal.jsonl')]);
    await expect(addLine(join(folder, 'journal.jsonl'), 'y', 0o600)).rejects.toThrow(/second name/);
    expect(readFileSync(join(folder, 'other'), 'utf8')).toBe('x\n');
  });
});

test('what root keeps of a map of somebody else lies where nobody else can change it, and goes back to its own place alone', async () => {
  const front = join(mapOfKeeper(), '.mile-marker', 'front');
  const folder = folderWith({ 'a.conf': 'listen 80;\n', 'b.conf': 'listen 81;\n' });
  const path = join(folder, 'a.conf');
  const kept = await keepFile(path, Buffer.from('# off\n'), front);
  expect(existsSync(join(front, 'replaced'))).toBe(false);
  rmSync(path);
  writeFileSync(path, '# off\n');
  await expect(restoreFile({ ...kept, path: join(folder, 'b.conf') }, front, () => true)).rejects.toThrow(
    /no saved copy/,
  );
  await expect(restoreFile({ ...kept, kept: join(folder, 'b.conf') }, front, () => true)).rejects.toThrow(
    /not the file that was saved here/,
  );
  await expect(restoreFile({ ...kept, kept: '../../x' }, front, () => true)).rejects.toThrow(
    /not the file that was saved here/,
  );
  // What the journal says of it since counts for nothing.
  const lied = { ...kept, link: '/etc/passwd', owner: { uid: keeper, gid: keeper } };
  expect(await restoreFile(lied, front, () => false)).toBe('back');
  expect([lstatSync(path).isFile(), statSync(path).uid]).toEqual([true, 0]);
  expect(readFileSync(path, 'utf8')).toBe('listen 80;\n');
  rmSync(rootsPlace(front), { recursive: true });
});

test('files that root may change for a map of somebody else are its own, of a server, and behind no link', async () => {
  const front = join(mapOfKeeper(), '.mile-marker', 'front');
  const etc = join('/etc', 'nginx');
  await assertMayChange(join(etc, 'conf.d', 'new.conf'), front, [etc]);
  for (const path of ['/etc/passwd', `${etc}/../passwd`, join(dirname(front), 'x.conf'), '/tmp/x.conf'])
    await expect(assertMayChange(path, front, [etc, dirname(front), '/tmp'])).rejects.toThrow(
      /Root leaves that file alone/,
    );
});

test('words of units and crontabs come back as they are, and a line end is refused', () => {
  fc.assert(
    fc.property(fc.string({ unit: 'binary-ascii', minLength: 1 }), (word) => {
      if (/[\u0000-\u001f\u007f]/.test(word)) {
        for (const quote of [unitWord, unitPath, cronWord]) expect(() => quote(word)).toThrow(RangeError);
        return;
      }
      const line = cronWord(word);
      // crontab(5): the first bare percent sign ends the command.
      expect(line).not.toMatch(/(?:^|[^\\])%/);
      const { stdout } = spawnSync('sh', ['-c', `printf %s ${line.replace(/\\%/g, '%')}`], { encoding: 'utf8' });
      expect(stdout).toBe(word);
      const inUnit = unitWord(word).slice(1, -1);
      expect(inUnit.replace(/\\(.)/g, '$1').replace(/%%/g, '%').replace(/\$\$/g, '$')).toBe(word);
    }),
    { numRuns: 200 },
  );
});
