// Makes docs/screenshots/ from the demo: each picture is a real terminal in which a command has just run.
import { spawn, spawnSync } from 'node:child_process';
import { createServer } from 'node:http';
import { chmodSync, existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath, pathToFileURL } from 'node:url';
import { build } from 'esbuild';

const root = fileURLToPath(new URL('..', import.meta.url));
const program = join(root, 'dist/mile-marker.js');
const pictures = join(root, 'docs/screenshots');
const display = ':87';
const paper = '#fdfdfb';

// The terminal's own colours, dark enough for its light ground.
const palette = ['red #b3261e', 'green #1a7f37', 'yellow #8a5a00', 'blue #1f5fbf', 'cyan #0b6e7d']
  .map((colour) => colour.split(' '))
  .flatMap(([name, value]) => ['-xrm', `*color${{ red: 1, green: 2, yellow: 3, blue: 4, cyan: 6 }[name]}: ${value}`]);

/** A map with the slips that people make. */
const slips = `domains: [saltmarsh.example]
front:
  address: 203.0.113.24
  proxy: ngnix
roads:
  nestcam: {to: nestcam:3000, gaet: everyone}
  sight_ings: bird-log:8080
  roster: localhost:5000
  www.saltmarsh.example: :8080
  WWW: :8081
`;

const missing = [
  ['Xvfb', 'xvfb'],
  ['xterm', 'xterm'],
  ['import', 'imagemagick'],
  ['chromium', 'chromium'],
].filter(([name]) => spawnSync('which', [name]).status !== 0);
if (missing.length > 0) {
  console.error(
    `The pictures need: apt-get install -y --no-install-recommends ${missing.map(([, name]) => name).join(' ')} fonts-dejavu-core`,
  );
  process.exit(1);
}

const work = mkdtempSync(join(tmpdir(), 'mile-marker-pictures-'));
// nginx reads below it as a user of its own.
chmodSync(work, 0o755);
mkdirSync(join(work, 'bin'));
writeFileSync(join(work, 'bin/mile-marker'), `#!/bin/sh\nexec "${process.execPath}" "${program}" "$@"\n`, {
  mode: 0o755,
});
const screen = spawn('Xvfb', [display, '-screen', '0', '1280x800x24', '-nolisten', 'tcp'], { stdio: 'ignore' });
const demo = spawn(process.execPath, [program, 'demo', '--keep'], { env: { ...process.env, TMPDIR: work } });
try {
  const { folder, resolver } = await demoIsUp();
  await picture('survey', ['mile-marker survey'], folder);
  await picture('roads', ['mile-marker roads --why'], folder);
  await picture('explain', ['mile-marker explain roster', 'mile-marker explain --all'], folder);
  await picture('certs', ['mile-marker certs'], folder);
  await picture('check', ['mile-marker check'], folder);
  await picture('dns', ['mile-marker dns records', `mile-marker dns check --resolver 127.0.0.1:${resolver}`], folder);
  await picture('links', ['mile-marker verify --links'], folder);
  await picture('verify', [`mile-marker verify --trust authority-root.pem --resolver 127.0.0.1:${resolver}`], folder);
  await picture('tree', ['mile-marker roads --tree'], folder);
  page('report', folder);
  await picture('rehearse', ['mile-marker rehearse --all'], folder);
  const [opened, closed] = ['everyone', 'home'].map((gate) => `to: nestcam:3000\n    gate: ${gate}`);
  edit(folder, opened, closed);
  await picture(
    'install',
    ['mile-marker install --yes', 'mile-marker editions', 'mile-marker undo front --yes'],
    folder,
  );
  edit(folder, closed, opened);
  // The front of the demo goes on running, so this one has ports of its own.
  edit(folder, 'proxy: builtin', 'proxy: nginx\n  listen: {http: 9080, https: 9443}');
  edit(folder, /mark: .*/, 'mark: 127.0.0.1:29190');
  // Made anew, the file is opened to nginx when root makes it.
  rmSync(join(folder, 'people'), { recursive: true });
  spawnSync(process.execPath, [program, 'people', 'add', 'edda', '--generate'], { cwd: folder });
  spawnSync(process.execPath, [program, 'write'], { cwd: folder });
  edit(folder, 'to: nestcam:3000\n    gate: everyone', 'to: nestcam:3000\n    gate: home');
  await picture('write', ['mile-marker write --diff 2>words | head -n 18', 'mile-marker write'], folder);
  await picture('moving', ['mile-marker write --proxy haproxy --dry-run > files'], folder);
  await picture(
    'devices',
    ['mile-marker devices add phone --gate keepers', 'mile-marker devices list', 'mile-marker devices remove phone'],
    folder,
  );
  const broken = join(work, 'broken');
  mkdirSync(broken);
  writeFileSync(join(broken, 'mile-marker.yaml'), slips);
  await picture('slips', ['cat -n mile-marker.yaml', 'mile-marker check'], broken);
  await following();
} finally {
  const ended = new Promise((resolve) => demo.once('close', resolve));
  demo.kill('SIGINT');
  await ended;
  screen.kill();
  rmSync(work, { recursive: true, force: true });
}

function edit(folder, from, to) {
  const path = join(folder, 'mile-marker.yaml');
  writeFileSync(path, readFileSync(path, 'utf8').replace(from, to));
}

/** The folder and the resolver's port, as the demo says them when it is up. */
function demoIsUp() {
  return new Promise((resolve, reject) => {
    let out = '';
    demo.stdout.on('data', (text) => {
      out += text;
      const said = /verify --map (\S+)\/mile-marker\.yaml --trust \S+ --resolver 127\.0\.0\.1:(\d+)\n/.exec(out);
      if (said !== null) resolve({ folder: said[1], resolver: said[2] });
    });
    demo.once('close', () => reject(new Error(`the demo ended: ${out}`)));
  });
}

async function picture(name, commands, cwd) {
  const done = join(work, `${name}.done`);
  const lines = commands.flatMap((command) => [`printf '\\033[1m$ %s\\033[0m\\n' ${quote(command)}`, command, 'echo']);
  // Without a cursor, which would stand below what was printed.
  writeFileSync(join(work, `${name}.sh`), `printf '\\033[?25l'\n${lines.join('\n')}\ntouch ${quote(done)}\nsleep 60\n`);
  const env = {
    ...process.env,
    DISPLAY: display,
    PATH: `${join(work, 'bin')}:${process.env.PATH}`,
    TERM: 'xterm-256color',
  };
  const font = ['-fa', 'DejaVu Sans Mono', '-fs', '11'];
  const look = ['-geometry', '142x46+0+0', ...font, '-bg', paper, '-fg', '#22282c', '+sb', '-b', '12', ...palette];
  const terminal = spawn('xterm', [...look, '-e', 'sh', join(work, `${name}.sh`)], { cwd, env, stdio: 'ignore' });
  for (let tries = 0; !existsSync(done) && tries < 300; tries += 1)
    await new Promise((resolve) => setTimeout(resolve, 100));
  const file = join(pictures, `${name}.png`);
  const shoot = ['-display', display, '-window', 'root', '-crop', '1276x796+2+2', file];
  // As high as what was printed, and as wide as the others.
  const ground = ['-bordercolor', paper, '-border', '14', '-background', paper, '-gravity', 'NorthWest'];
  // A terminal that is not painted yet is an empty picture, which is small.
  for (let tries = 0; tries < 10 && (tries === 0 || statSync(file).size < 2000); tries += 1) {
    await new Promise((resolve) => setTimeout(resolve, 500));
    spawnSync('import', shoot);
    spawnSync('mogrify', ['-trim', '+repage', ...ground, '-extent', '1280x', file]);
  }
  // The next one is not drawn under this one.
  const closed = new Promise((resolve) => terminal.once('close', resolve));
  terminal.kill();
  await closed;
  console.log(`docs/screenshots/${name}.png`);
}

/** A container with a label comes, one moves and stops; the engine is a stand-in, since a real one is not everywhere. */
async function following() {
  const folder = join(work, 'follow');
  mkdirSync(folder);
  const made = join(work, 'made-engine.mjs');
  const [source, options] = [
    join(root, 'test/support/made-engine.ts'),
    { bundle: true, format: 'esm', platform: 'node' },
  ];
  await build({ entryPoints: [source], outfile: made, ...options });
  const { MadeEngine } = await import(pathToFileURL(made).href);
  const engine = new MadeEngine(join(folder, 'engine.sock'));
  await engine.start();
  const services = ['127.0.7.1', '127.0.7.2', '127.0.7.3'].map((address) =>
    createServer((_, response) => response.end('<title>Tides</title>high 06:12')).listen(8000, address),
  );
  const map = `domains: [saltmarsh.example]
front: {address: 127.0.0.1, ports: {http: 9180, https: 9543}, mark: "127.0.0.1:29191"}
engine: unix://${engine.socket}
labels: {obey: lab.saltmarsh.example}
roads:
  tides: tide-tables:8000
  sightings: bird-log:8000
`;
  writeFileSync(join(folder, 'mile-marker.yaml'), map);
  engine.put({ name: 'tide-tables', address: '127.0.7.1', port: 8000 });
  engine.put({ name: 'bird-log', address: '127.0.7.2', port: 8000 });
  const run = (...argv) =>
    new Promise((resolve) => spawn(process.execPath, [program, ...argv], { cwd: folder }).once('close', resolve));
  await run('certs', 'make');
  await run('install', '--yes', '--no-rehearsal', '--despite', 'port-not-published');
  const shown = picture('follow', ['timeout 14 mile-marker follow', 'mile-marker editions'], folder);
  const later = (seconds, work) => setTimeout(work, seconds * 1000);
  const label = (name) => ({ 'mile-marker.road': `{name: ${name}.lab.saltmarsh.example}` });
  later(4, () => engine.put({ name: 'moths', address: '127.0.7.3', port: 8000, labels: label('moths') }));
  later(6, () => engine.put({ name: 'tide-tables', address: null, port: 8000 }, 'die'));
  later(8, () => engine.put({ name: 'tide-tables', address: '127.0.7.3', port: 8000 }));
  later(10, () =>
    engine.put({
      name: 'gulls',
      address: '127.0.7.3',
      port: 8000,
      labels: { 'mile-marker.road': '{name: sightings, gate: everyone}' },
    }),
  );
  await shown;
  process.kill(JSON.parse(readFileSync(join(folder, '.mile-marker/serve.json'), 'utf8')).pid);
  for (const service of services) service.close();
  await engine.stop();
}

/** The page of `report`, as a browser shows its beginning. */
function page(name, folder) {
  spawnSync(process.execPath, [program, 'report', 'report.html'], { cwd: folder });
  const quiet = ['--disable-background-networking', '--disable-component-update', '--disable-sync', '--no-first-run'];
  const look = ['--window-size=1280,800', '--hide-scrollbars', `--user-data-dir=${join(work, 'profile')}`];
  const shot = `--screenshot=${join(pictures, `${name}.png`)}`;
  const flags = ['--headless', '--no-sandbox', '--disable-gpu', ...quiet, ...look, shot];
  const { status, stderr } = spawnSync('chromium', [...flags, `file://${join(folder, 'report.html')}`]);
  if (status !== 0) throw new Error(`the browser took no picture: ${stderr}`);
  console.log(`docs/screenshots/${name}.png`);
}

function quote(text) {
  return `'${text.replaceAll("'", "'\\''")}'`;
}
