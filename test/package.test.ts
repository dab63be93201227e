import { execFileSync, spawnSync } from 'node:child_process';
import { readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { folderWith } from './support/program.ts';

/** What people install: one folder, nothing that is run at installing, with the licences of what is in it. */
test('the package installs as one folder without scripts, runs from an empty folder, and carries its licences', () => {
  const folder = folderWith({ 'package.json': '{"private": true}' });
  const root = join(__dirname, '..');
  // The suite has built it; building it again would pull it away under other tests.
  const packed = execFileSync('npm', ['pack', '--ignore-scripts', '--json', '--pack-destination', folder], {
    cwd: root,
  });
  const [{ filename, size }] = JSON.parse(packed.toString()) as [{ filename: string; size: number }];
  expect(size).toBeLessThan(1_800_000);
  execFileSync('npm', ['install', '--offline', '--no-audit', '--no-fund', join(folder, filename)], { cwd: folder });
  expect(readdirSync(join(folder, 'node_modules')).filter((name) => !name.startsWith('.'))).toEqual(['mile-marker']);
  const own = join(folder, 'node_modules/mile-marker');
  const { scripts, dependencies } = JSON.parse(readFileSync(join(own, 'package.json'), 'utf8')) as {
    scripts: Record<string, string>;
    dependencies?: object;
  };
  expect(dependencies).toBeUndefined();
  expect(Object.keys(scripts).filter((name) => /^(pre|post)?install$/.test(name))).toEqual([]);

  const empty = folderWith();
  const run = (...argv: string[]): string =>
    spawnSync(join(folder, 'node_modules/.bin/mile-marker'), argv, { cwd: empty, encoding: 'utf8' }).stdout;
  expect(run('--version').trim()).toBe('1.0.0');
  run('init', '--domain', 'saltmarsh.example', '--address', '203.0.113.24');
  expect(JSON.parse(run('check', '--json'))).toMatchObject({ format: 'mile-marker-check' });
  expect(run('certs', 'make', '--json')).toContain('authority');

  // What was compiled is kept for the next time, and is not believed when it is not as it was written.
  const kept = readdirSync(join(own, 'dist')).filter((name) => name.startsWith('compiled-check-'));
  expect(kept).toHaveLength(1);
  const file = join(own, 'dist', kept[0] ?? '');
  const good = readFileSync(file);
  const bad = Buffer.from(good);
  for (let at = 1000; at < bad.length; at += 1000) bad[at] = (bad[at] ?? 0) ^ 0x55;
  writeFileSync(file, bad);
  expect(JSON.parse(run('check', '--json'))).toMatchObject({ format: 'mile-marker-check' });
  expect(readFileSync(file).equals(bad)).toBe(false);

  const licences = readFileSync(join(own, 'dist/THIRD-PARTY-LICENSES.txt'), 'utf8');
  for (const name of ['commander', 'zod', 'yaml', 'node-forge', 'acme-client', 'ws'])
    expect(licences).toContain(`\n${name} `);
});
