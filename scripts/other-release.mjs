// Holds the servers of another Debian release against the verdict, as `npm test` does those of this machine: npm run releases -- trixie
// It makes a folder with that release in it (debootstrap(8)), which stays, and runs the tests of written files with its servers. Needs root.
import { spawnSync } from 'node:child_process';
import { chmodSync, existsSync, mkdirSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { delimiter, join, resolve } from 'node:path';

const [release = '', ...chosen] = process.argv.slice(2);
if (!/^[a-z]+$/.test(release)) stop('Name a release: npm run releases -- trixie');
if (process.getuid?.() !== 0) stop('This needs root: sudo npm run releases -- trixie');
if (!existsSync('/usr/sbin/debootstrap')) stop('Install debootstrap: apt-get install -y debootstrap');

// What is mounted below goes with this process, whatever ends it.
if (process.env.OWN_MOUNTS === undefined) {
  const again = ['--mount', process.execPath, ...process.argv.slice(1)];
  const { status } = spawnSync('unshare', again, { stdio: 'inherit', env: { ...process.env, OWN_MOUNTS: '1' } });
  process.exit(status ?? 1);
}

const packages = ['nginx', 'libnginx-mod-stream', 'haproxy', 'apache2', 'ca-certificates'];
/** Those that run real servers with written files, and nothing of an installed one. */
const usual = [
  ...['two-fronts', 'gates-and-rules', 'random-maps', 'strangers', 'wildcards-and-challenges', 'behind-an-edge'],
  ...['front-holds', 'fronts-carry-bytes', 'hardening', 'hostile-maps', 'nginx-files', 'raw-ports', 'test/pages'],
];
const root = join(tmpdir(), `mile-marker-${release}`);
const bin = join(root, 'mile-marker-bin');
if (!existsSync(join(root, 'usr/sbin/haproxy'))) {
  const { stdout } = spawnSync('apt-get', ['indextargets', '--format', '$(SITE)', 'Created-By: Packages'], {
    encoding: 'utf8',
  });
  const [mirror = ''] = stdout.split('\n').filter((site) => site.endsWith('/debian'));
  const words = ['--variant=minbase', `--include=${packages.join()}`, release, root, mirror];
  const env = { ...process.env, RUNLEVEL: '1', DEBIAN_FRONTEND: 'noninteractive' };
  if (spawnSync('debootstrap', words, { stdio: 'inherit', env }).status !== 0) stop('debootstrap failed.');
}
mkdirSync(bin, { recursive: true });
for (const [name, option] of [
  ['nginx', '-v'],
  ['haproxy', '-v'],
  ['apache2', '-v'],
]) {
  writeFileSync(join(bin, name), `#!/bin/sh\nexec chroot ${root} /usr/sbin/${name} "$@"\n`);
  chmodSync(join(bin, name), 0o755);
  const { stdout, stderr } = spawnSync(join(bin, name), [option], { encoding: 'utf8' });
  console.log(`${stdout}${stderr}`.split('\n')[0]);
}
// The tests' folders, and what the servers read of this one.
const seen = [tmpdir(), '/proc', '/dev', resolve('.')];
for (const path of seen) {
  mkdirSync(join(root, path), { recursive: true });
  spawnSync('mount', ['--bind', path, join(root, path)], { stdio: 'inherit' });
}
const env = { ...process.env, OTHER_SERVERS: bin, PATH: `${bin}${delimiter}${process.env['PATH'] ?? ''}` };
const files = chosen.length === 0 ? usual : chosen;
const { status } = spawnSync(process.execPath, ['node_modules/jest/bin/jest.js', ...files], { stdio: 'inherit', env });
process.exitCode = status ?? 1;

function stop(words) {
  console.error(words);
  process.exit(2);
}
