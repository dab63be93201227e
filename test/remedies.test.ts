import { execFile, spawnSync } from 'node:child_process';
import { promisify } from 'node:util';
import { chmodSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import bcrypt from 'bcryptjs';
import { TestAuthority } from './faults/certificates.ts';
import { tlsServer } from './faults/node-front.ts';
import { freePorts, listening, portOf } from './support/ports.ts';
import { folderWith, launch, mileMarker, says, stop } from './support/program.ts';

/** Remedies that change owners, modes, files or ports are followed to the letter: the installation is better afterwards, and nothing else is worse. */

interface Told {
  rule: string;
  severity: string;
  message: string;
  remedy: string;
}

async function told(folder: string): Promise<Told[]> {
  const { out } = await mileMarker(['check', '--json'], folder);
  const { findings } = JSON.parse(out) as { findings: Told[] };
  return findings.filter(({ severity }) => severity !== 'note');
}

/** The command that a remedy ends in, or the text between its marks. */
const commandIn = (remedy: string): string => remedy.replace(/^[^:]*: /, '').trim();

/** Not in one go: it may be this process that it asks. */
async function shell(command: string, cwd: string): Promise<void> {
  const { stderr } = await promisify(execFile)('sh', ['-c', command], { cwd, timeout: 20_000 });
  expect([command, stderr]).toEqual([command, '']);
}

function canRead(user: string, path: string): boolean {
  return spawnSync('setpriv', [`--reuid=${user}`, '--regid', user, '--init-groups', 'test', '-r', path]).status === 0;
}

const people = `edda:${bcrypt.hashSync('tern over the spit', 6)}\n`;
const head = (proxy: string): string =>
  `domains: [saltmarsh.example]\nfront: {address: 127.0.0.1, proxy: ${proxy}, ports: {http: 18080, https: 18443}, mark: "127.0.0.1:18180"}\nengine: none\n`;
const gated = `gates: {wardens: {people: people/wardens}}\nroads:\n  log: {to: ":9", gate: wardens}\n`;

test.each<[string, Record<string, string>, (folder: string) => void, string]>([
  [
    'a password file that everybody reads',
    { 'mile-marker.yaml': head('nginx') + gated, 'people/wardens': people },
    (folder) => {
      chmodSync(folder, 0o755);
      chmodSync(join(folder, 'people/wardens'), 0o644);
    },
    'people/wardens',
  ],
  [
    'a password file that the proxy cannot read',
    { 'mile-marker.yaml': head('nginx') + gated, 'people/wardens': people },
    (folder) => {
      chmodSync(folder, 0o755);
      chmodSync(join(folder, 'people/wardens'), 0o600);
    },
    'people/wardens',
  ],
  [
    'a password file in a folder that the proxy cannot go through',
    {
      'mile-marker.yaml': head('nginx') + gated.replace('people/', "people of Edda's/"),
      "people of Edda's/wardens": people,
    },
    (folder) => {
      chmodSync(folder, 0o700);
      chmodSync(join(folder, "people of Edda's"), 0o700);
      chmodSync(join(folder, "people of Edda's/wardens"), 0o600);
    },
    "people of Edda's/wardens",
  ],
  [
    'a folder that the proxy cannot read',
    {
      'mile-marker.yaml': `${head('nginx')}roads:\n  www: {folder: ./deep marsh/site, gate: everyone}\n`,
      'deep marsh/site/index.html': 'the marsh',
    },
    (folder) => {
      chmodSync(folder, 0o755);
      chmodSync(join(folder, 'deep marsh'), 0o700);
      chmodSync(join(folder, 'deep marsh/site'), 0o700);
      chmodSync(join(folder, 'deep marsh/site/index.html'), 0o600);
    },
    'deep marsh/site/index.html',
  ],
])('followed as a command: %s', async (_, files, prepare, path) => {
  const folder = folderWith(files);
  prepare(folder);
  await mileMarker(['certs', 'make'], folder);
  const before = (await told(folder)).filter(({ rule }) => rule !== 'no-restart-policy');
  const [first] = before.filter(({ rule }) => /people-file|folder-not/.test(rule));
  expect(first).toBeDefined();
  await shell(commandIn(first?.remedy ?? ''), folder);
  const after = await told(folder);
  expect(after.filter(({ rule }) => /people-file|folder-not/.test(rule))).toEqual([]);
  expect(after.length).toBeLessThan(before.length);
  // The site works: whom the packages have the proxy run as reads the file.
  expect(canRead('www-data', join(folder, path))).toBe(true);
});

test('a private key that others read', async () => {
  const folder = folderWith({ 'mile-marker.yaml': `${head('builtin')}roads: {log: ":9"}\n` });
  await mileMarker(['certs', 'make'], folder);
  const key = join(folder, '.mile-marker/certificates/log.saltmarsh.example/current/key.pem');
  chmodSync(key, 0o644);
  const [finding] = (await told(folder)).filter(({ rule }) => rule === 'certificate-faulty');
  await shell(/Close it: (.*)$/.exec(finding?.remedy ?? '')?.[1] ?? 'false', folder);
  expect((await told(folder)).filter(({ rule }) => rule === 'certificate-faulty')).toEqual([]);
});

const compose = (log: string): string => `services:\n  log:\n    restart: always\n${log}`;
test.each([
  ['published to everyone, in a block', compose('    ports:\n      - "18081:80"\n'), /write: (.*)$/],
  ['published to everyone, between brackets', compose('    ports: ["18081:80"]\n'), /write: (.*)$/],
  ['another port is published, in a block', compose('    ports:\n      - "127.0.0.1:18081:8080"\n'), /`ports`: (.*)$/],
  ['another port is published, between brackets', compose('    ports: ["127.0.0.1:18081:8080"]\n'), /`ports`: (.*)$/],
  ['no port is published', compose(''), /service: (ports: \[.*\])/],
])('followed in the Compose file: %s', async (name, text, form) => {
  const folder = folderWith({
    'mile-marker.yaml': `${head('builtin')}compose: [c.yaml]\nroads: {log: "log:80"}\n`,
    'c.yaml': text,
  });
  await mileMarker(['certs', 'make'], folder);
  const own = (all: Told[]): Told[] => all.filter(({ rule }) => /published/.test(rule));
  const [finding] = own(await told(folder));
  const line = form.exec(finding?.remedy ?? '')?.[1] ?? '';
  expect(line).not.toBe('');
  const entry = /^(?:- )?"[^"]*"/.exec(line)?.[0] ?? '';
  const edited = name.startsWith('published')
    ? text.replace(/- "18081:80"|"18081:80"/, entry)
    : name.startsWith('no port')
      ? `${text}    ${line}\n`
      : text.includes('[')
        ? text.replace(']', `, ${entry}]`)
        : `${text}      ${entry}\n`;
  writeFileSync(join(folder, 'c.yaml'), edited);
  expect(own(await told(folder))).toEqual([]);
});

test('a service behind HTTPS with a certificate of its own: the key that verify computes, and the file that it says how to get', async () => {
  const authority = await TestAuthority.make();
  const leaf = await authority.leaf('nestcam.saltmarsh.example', { by: 'itself' });
  const service = tlsServer(leaf, (_, response) =>
    response.end('<title>Nest camera</title>one two three four five six'),
  );
  await listening(service, 0);
  const [plain = 0, https = 0, mark = 0] = await freePorts(3);
  const map = (more: string): string =>
    `domains: [saltmarsh.example]\nfront: {address: 127.0.0.1, ports: {http: ${String(plain)}, https: ${String(https)}}, mark: "127.0.0.1:${String(mark)}"}\nengine: none\nroads:\n  nestcam:\n    to: https://127.0.0.1:${String(portOf(service))}\n    gate: everyone\n${more}`;
  const folder = folderWith({ 'mile-marker.yaml': map('') });
  await mileMarker(['certs', 'make'], folder);
  const verified = async (): Promise<string[]> => {
    const child = launch(['serve'], folder);
    await says(child, 'Serving');
    const { out } = await mileMarker(['verify', '--at', '127.0.0.1', '--json'], folder);
    await stop(child, 'SIGTERM');
    const { findings } = JSON.parse(out) as { findings: Told[] };
    return findings.filter(({ severity }) => severity !== 'note').map(({ rule, remedy }) => `${rule}: ${remedy}`);
  };
  const [first = ''] = await verified();
  expect(first).toMatch(/^service-not-trusted: /);
  const pin = /`(upstream-pin: \S+)`/.exec(first)?.[1] ?? '';
  writeFileSync(join(folder, 'mile-marker.yaml'), map(`    ${pin.replace(': ', ': "')}"\n`));
  expect(await verified()).toEqual([]);
  await shell(`${/signed: (.*) > FILE/.exec(first)?.[1] ?? 'false'} > ${folder}/service.pem`, folder);
  writeFileSync(
    join(folder, 'mile-marker.yaml'),
    map('    upstream-ca: service.pem\n    upstream-host: nestcam.saltmarsh.example\n'),
  );
  expect(readFileSync(join(folder, 'service.pem'), 'utf8')).toContain('BEGIN CERTIFICATE');
  expect(await verified()).toEqual([]);
  service.close();
});
