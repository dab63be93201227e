import { execFileSync, spawnSync } from 'node:child_process';
import { truncateSync, writeFileSync } from 'node:fs';
import http from 'node:http';
import { join } from 'node:path';
import { folderWith, mileMarker } from './support/program.ts';

/** What comes from outside and is endless, huge or no file at all: an error that says so. */

const map = (more: string): string =>
  `domains: [saltmarsh.example]\nfront: {address: 203.0.113.24}\n${more}roads: {}\n`;

const services = (count: number): string =>
  `services:\n${Array.from({ length: count }, (_, index) => `  s${String(index)}: {image: x, ports: ["127.0.0.1:${String(index + 1)}:80"]}\n`).join('')}`;

test.each<[string, (folder: string) => void, string]>([
  [
    'a pipe as Compose file',
    (folder) => void execFileSync('mkfifo', [join(folder, 'compose.yaml')]),
    'it is no ordinary file',
  ],
  [
    'a pipe as .env',
    (folder) => {
      writeFileSync(join(folder, 'compose.yaml'), 'services: {}');
      execFileSync('mkfifo', [join(folder, '.env')]);
    },
    '.env cannot be read: it is no ordinary file',
  ],
  [
    'a device as Compose file',
    (folder) => void execFileSync('ln', ['-s', '/dev/zero', join(folder, 'compose.yaml')]),
    'it is no ordinary file',
  ],
  [
    'twenty thousand services',
    (folder) => writeFileSync(join(folder, 'compose.yaml'), services(20_000)),
    'is larger than 0.25 MiB',
  ],
  [
    'all ports, several times',
    (folder) => writeFileSync(join(folder, 'compose.yaml'), 'services: {a: {image: x, ports: ["1-65535:1-65535"]}}'),
    'more than 20000 ports',
  ],
])('%s', async (_, make, words) => {
  const folder = folderWith({ 'mile-marker.yaml': map('compose: [compose.yaml]\nengine: none\n') });
  make(folder);
  const { code, out } = await mileMarker(['check'], folder);
  expect([code, out.replace(/\s+/g, ' ')]).toEqual([1, expect.stringContaining(words)]);
});

test('an answer of an engine that does not end', async () => {
  const folder = folderWith();
  const socket = join(folder, 'engine.sock');
  const server = http.createServer((_, response) => {
    const chunk = Buffer.alloc(1 << 20, '[');
    const go = (): void => {
      while (!response.destroyed && response.write(chunk));
    };
    response.on('drain', go).on('error', () => undefined);
    go();
  });
  await new Promise<void>((resolve) => server.listen(socket, resolve));
  writeFileSync(join(folder, 'mile-marker.yaml'), map(`engine: unix://${socket}\n`));
  const { code, out } = await mileMarker(['check'], folder);
  server.closeAllConnections();
  server.close();
  expect([code, out.replace(/\s+/g, ' ')]).toEqual([3, expect.stringContaining('its answer is longer than 32 MiB')]);
});

test('a record of another machine that is huge, and one in which nothing was seen', async () => {
  const folder = folderWith({
    'mile-marker.yaml':
      'domains: [saltmarsh.example]\nfront: {address: 203.0.113.24}\nroads: {log: {to: ":9", gate: everyone}}\n',
    huge: '',
  });
  truncateSync(join(folder, 'huge'), 300 << 20);
  const huge = await mileMarker(['verify', '--read', 'huge'], folder);
  expect([huge.code, huge.err]).toEqual([2, expect.stringContaining('is larger than 64 MiB')]);
  const look = await mileMarker(['verify', '--script'], folder);
  // Without curl and openssl the script sees nothing.
  const seen = spawnSync('/bin/sh', ['-c', look.out], { env: { PATH: '/nowhere' }, encoding: 'utf8' }).stdout;
  writeFileSync(join(folder, 'seen.txt'), seen);
  const read = await mileMarker(['verify', '--read', 'seen.txt'], folder);
  expect(read.code).not.toBe(0);
});

test('a bundle that would take very long to open', async () => {
  const folder = folderWith({
    'mile-marker.yaml':
      'domains: [saltmarsh.example]\nfront: {address: 127.0.0.1}\ncertificates: {bought: {names: www.saltmarsh.example, from: {files: {certificate: a, key: b}}}}\nroads: {www: {to: ":9", gate: everyone}}\n',
    password: 'tern\n',
  });
  const openssl = (...argv: string[]): void => void execFileSync('openssl', argv, { cwd: folder, stdio: 'ignore' });
  openssl(
    'req',
    '-x509',
    '-newkey',
    'rsa:2048',
    '-nodes',
    '-keyout',
    'k',
    '-out',
    'c',
    '-subj',
    '/CN=x',
    '-addext',
    'subjectAltName=DNS:www.saltmarsh.example',
  );
  const bundle = (iterations: string): void =>
    openssl(
      'pkcs12',
      '-export',
      '-in',
      'c',
      '-inkey',
      'k',
      '-passout',
      'pass:tern',
      '-iter',
      iterations,
      '-out',
      'b.p12',
    );
  bundle('2048');
  expect(
    (await mileMarker(['certs', 'import', '--as', 'bought', 'b.p12', '--password-file', 'password'], folder)).code,
  ).toBe(0);
  bundle('3000000');
  const slow = await mileMarker(['certs', 'import', '--as', 'bought', 'b.p12', '--password-file', 'password'], folder);
  expect([slow.code, slow.err]).toEqual([2, expect.stringContaining('needs 3000000 rounds')]);
});
