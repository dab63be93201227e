import { spawnSync } from 'node:child_process';
import { copyFileSync, mkdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { X509Certificate } from 'node:crypto';
import { folderWith, mileMarker } from './support/program.ts';

/** Certificates that a person brings and takes: made by openssl, as they come from authorities. */

let folder: string;
const file = (name: string): string => join(folder, name);

function openssl(...argv: string[]): void {
  const { status, stderr } = spawnSync('openssl', argv, { cwd: folder, encoding: 'utf8' });
  if (status !== 0) throw new Error(`${argv.join(' ')}: ${stderr}`);
}

beforeAll(() => {
  folder = folderWith({
    'mile-marker.yaml':
      'domains: [saltmarsh.example]\nfront: {address: 127.0.0.1}\ncertificates:\n  bought: {names: www.saltmarsh.example, from: {files: {certificate: a.pem, key: b.pem}}}\nroads:\n  www: {to: ":9", gate: everyone}\n  log: ":9"\n',
    leaf: 'subjectAltName=DNS:www.saltmarsh.example\nextendedKeyUsage=serverAuth\n',
    wild: 'subjectAltName=DNS:*.saltmarsh.example\nextendedKeyUsage=serverAuth\n',
    ca: 'basicConstraints=critical,CA:true\n',
    // As every public authority has it.
    public:
      'subjectAltName=DNS:www.saltmarsh.example\nextendedKeyUsage=serverAuth\nauthorityInfoAccess=caIssuers;URI:http://ca.example/middle.crt\n',
  });
  const make = (
    name: string,
    issuer: string | null,
    extensions: string,
    kind: string[],
    days = ['-days', '90'],
  ): void => {
    openssl('req', ...kind, '-nodes', '-keyout', `${name}.key`, '-out', `${name}.csr`, '-subj', `/CN=${name}`);
    const signer =
      issuer === null
        ? ['-signkey', `${name}.key`]
        : ['-CA', `${issuer}.crt`, '-CAkey', `${issuer}.key`, '-CAcreateserial'];
    openssl('x509', '-req', '-in', `${name}.csr`, ...signer, ...days, '-extfile', extensions, '-out', `${name}.crt`);
  };
  const ec = ['-newkey', 'ec', '-pkeyopt', 'ec_paramgen_curve:P-256'];
  make('root', null, 'ca', ec);
  make('middle', 'root', 'ca', ec);
  make('www', 'middle', 'leaf', ec);
  make('rsa', 'middle', 'leaf', ['-newkey', 'rsa:2048']);
  make('foreign', 'middle', 'leaf', ec);
  make('public', 'middle', 'public', ec);
  make('private', 'root', 'leaf', ec);
  for (const name of ['wild', 'newer']) make(name, 'root', 'wild', ec);
  for (const name of ['www', 'rsa']) {
    openssl(
      'pkcs12',
      '-export',
      '-in',
      `${name}.crt`,
      '-inkey',
      `${name}.key`,
      '-certfile',
      'middle.crt',
      '-passout',
      'pass:tern',
      '-out',
      `${name}.p12`,
    );
  }
  openssl('pkcs8', '-topk8', '-in', 'www.key', '-out', 'locked.key', '-passout', 'pass:tern');
  writeFileSync(file('password'), 'tern\n');
  writeFileSync(file('wrong'), 'plover\n');
  writeFileSync(
    file('all.pem'),
    ['root.crt', 'www.key', 'middle.crt', 'www.crt', 'middle.crt']
      .map((name) => readFileSync(file(name), 'utf8'))
      .join('\n'),
  );
});

const current = (name: string): string => file(`.mile-marker/certificates/bought/current/${name}`);
const subjects = (text: string): string[] =>
  (text.match(/-----BEGIN CERTIFICATE-----[^-]+-----END CERTIFICATE-----/g) ?? []).map((block) =>
    new X509Certificate(block).subject.replace('CN=', ''),
  );

test.each([
  [['all.pem'], 'www'],
  [['middle.crt', 'www.key', 'www.crt'], 'www'],
  [['www.crt', 'middle.crt', 'locked.key'], 'www'],
  [['www.p12'], 'www'],
  [['rsa.p12'], 'rsa'],
])('%j is brought in, sorted, without its root, the key for its owner only', async (files, leaf) => {
  const { code, out } = await mileMarker(['certs', 'import', ...files, '--password-file', 'password'], folder);
  expect([code, out]).toEqual([0, 'certificate `bought`: stored, covers www.saltmarsh.example\n']);
  expect(subjects(readFileSync(current('certificate.pem'), 'utf8'))).toEqual([leaf, 'middle']);
  expect(statSync(current('key.pem')).mode & 0o777).toBe(0o600);
  expect((await mileMarker(['check'], folder)).out).not.toContain('bought');
});

test.each([
  [['www.crt'], 'hold no private key'],
  [['www.key'], 'hold no certificate'],
  [['www.crt', 'foreign.key'], 'does not belong to any'],
  [['www.crt', 'www.key', 'foreign.crt', 'foreign.key'], 'several certificates with their keys'],
  [['www.p12', '--password-file', 'wrong'], 'cannot be opened with this password'],
  [['www.crt', 'locked.key', '--password-file', 'wrong'], 'cannot be read with this password'],
  [['www.p12'], 'A password is needed'],
  [['leaf'], 'neither PEM nor PKCS#12'],
  [['nowhere'], 'it does not exist'],
  [['root.crt', 'root.key'], "none of the map's certificates needs"],
  [['www.crt', 'www.key', '--as', 'bough'], 'Did you mean bought?'],
])('%j is refused, and what is held stays', async (argv, words) => {
  const before = readFileSync(current('certificate.pem'), 'utf8');
  const { code, err } = await mileMarker(['certs', 'import', ...argv], folder);
  expect([code, err]).toEqual([2, expect.stringContaining(words)]);
  expect(err).not.toMatch(/PRIVATE KEY|tern/);
  expect(readFileSync(current('certificate.pem'), 'utf8')).toBe(before);
});

test('export: in one file or two, a program after it, and again when a new one comes', async () => {
  const note = file('note');
  writeFileSync(file('then'), `#!/bin/sh\necho "$1" >> ${note}\n`, { mode: 0o755 });
  const one = await mileMarker(
    ['certs', 'export', 'bought', '--to', 'one.pem', '--then', file('then'), '--then', '$(id) x'],
    folder,
  );
  const two = await mileMarker(['certs', 'export', 'bought', '--to', 'two.pem', '--key', 'two.key'], folder);
  expect([one.code, two.code, statSync(file('one.pem')).mode & 0o777, statSync(file('two.key')).mode & 0o777]).toEqual([
    0, 0, 0o600, 0o600,
  ]);
  expect(readFileSync(file('two.pem'), 'utf8')).not.toContain('PRIVATE');
  await mileMarker(['certs', 'import', 'rsa.crt', 'rsa.key', 'middle.crt'], folder);
  expect(subjects(readFileSync(file('one.pem'), 'utf8'))).toEqual(['rsa', 'middle']);
  expect(readFileSync(file('one.pem'), 'utf8')).toContain('PRIVATE KEY');
  expect(readFileSync(note, 'utf8')).toBe('$(id) x\n$(id) x\n');
  const broken = await mileMarker(['certs', 'export', 'bought', '--to', 'three.pem', '--then', '/nowhere/x'], folder);
  expect([broken.code, broken.err]).toEqual([3, expect.stringContaining('it does not exist')]);
});

test('an intermediate that is missing is found beside the file, or the import is refused; a private authority that has none needs none', async () => {
  const imports = (...argv: string[]): ReturnType<typeof mileMarker> =>
    mileMarker(['certs', 'import', ...argv], folder);
  const saysIncomplete = async (): Promise<boolean> =>
    (await mileMarker(['check', '--json'], folder)).out.includes('without the intermediate certificate');
  const found = await imports('public.crt', 'public.key');
  expect([found.code, found.err]).toEqual([0, expect.stringContaining('was taken from all.pem')]);
  expect([subjects(readFileSync(current('certificate.pem'), 'utf8')), await saysIncomplete()]).toEqual([
    ['public', 'middle'],
    false,
  ]);
  mkdirSync(file('alone'));
  for (const name of ['public.crt', 'public.key']) copyFileSync(file(name), file(`alone/${name}`));
  const alone = ['alone/public.crt', 'alone/public.key'];
  const refused = await imports(...alone);
  expect([refused.code, refused.err]).toEqual([2, expect.stringContaining('signed by CN=middle')]);
  expect([(await imports(...alone, '--even-so')).code, await saysIncomplete()]).toEqual([0, true]);
  expect([(await imports('private.crt', 'private.key')).code, await saysIncomplete()]).toEqual([0, false]);
});

test('a wildcard is told what to write, which works word for word; what lies there then is followed', async () => {
  const own = folderWith({
    'mile-marker.yaml':
      'domains: [saltmarsh.example]\nfront: {address: 203.0.113.24}\nroads: {nestcam: ":3000", tides: ":3001"}\n',
  });
  for (const name of ['wild.crt', 'wild.key']) copyFileSync(file(name), join(own, name));
  const { code, err } = await mileMarker(['certs', 'import', 'wild.crt', 'wild.key'], own);
  expect([code, err]).toEqual([2, expect.stringContaining("2 of the map's roads")]);
  const [, value = ''] = /set certificates\.saltmarsh '([^']+)'/.exec(err.replace(/\s+/g, ' ')) ?? [];
  await mileMarker(['set', 'certificates.saltmarsh', value], own);
  const stored = await mileMarker(['certs', 'import', '--as', 'saltmarsh', 'wild.crt', 'wild.key'], own);
  expect([stored.code, stored.out]).toEqual([0, expect.stringContaining('covers *.saltmarsh.example')]);
  const list = async (): Promise<string> => (await mileMarker(['certs', 'list', '--json'], own)).out;
  const before = await list();
  expect((await mileMarker(['certs', 'renew'], own)).out).not.toContain('saltmarsh');
  for (const ending of ['crt', 'key']) copyFileSync(file(`newer.${ending}`), join(own, `wild.${ending}`));
  expect((await mileMarker(['certs', 'renew'], own)).out).toContain('`saltmarsh`: stored');
  expect(await list()).not.toBe(before);
});

test('one that is not valid now is refused with its date, and stored when that is meant so', async () => {
  // Beside today, by the clock that the command has.
  const at = (day: string) => ({ now: () => new Date(day) });
  const argv = ['certs', 'import', 'www.crt', 'middle.crt', 'www.key'];
  for (const [day, words] of [
    ['2040-01-01', 'The certificate expired on 20'],
    ['2020-01-01', 'The certificate is not valid before 20'],
  ] as const) {
    const refused = await mileMarker(argv, folder, {}, at(day));
    expect([refused.code, refused.err]).toEqual([2, expect.stringContaining(words)]);
    expect(refused.err).toContain('--even-so');
    expect((await mileMarker([...argv, '--even-so'], folder, {}, at(day))).code).toBe(0);
  }
});

test('the list says what is held, from whom, for which roads, and how it renews', async () => {
  await mileMarker(['certs', 'make'], folder);
  const { out } = await mileMarker(['certs', '--json'], folder);
  const { certificates } = JSON.parse(out) as { certificates: Array<Record<string, unknown>> };
  expect(certificates).toMatchObject([
    {
      id: 'bought',
      covers: ['www.saltmarsh.example'],
      issuer: 'middle',
      daysLeft: 89,
      roads: [{ road: 'www.saltmarsh.example', why: 'it names the road' }],
      renews: { by: 'files' },
    },
    { id: 'log.saltmarsh.example', renews: { by: 'practice' } },
  ]);
  const shown = await mileMarker(['certs'], folder);
  expect(shown.out).toContain('by middle');
});

test.each([
  ['', '', 'no authority to get certificates from', 'Add to the map: `acme: {directory: production}`'],
  ['acme: {directory: staging}\n', 'bought', '`bought` comes from your own files', 'write `from: acme` at `bought`'],
  ['acme: {directory: staging}\n', 'keepers', '`keepers` is for practice', 'write `from: acme` at `keepers`'],
  ['acme: {directory: staging}\n', '', 'so it does not come from an authority', 'write `from: acme` at `'],
])(
  'certs obtain where nothing comes from an authority (%j, %j): what is missing, and the line',
  async (acme, id, why, line) => {
    const site = folderWith({
      'mile-marker.yaml': `domains: [saltmarsh.example]\nfront: {address: 127.0.0.1}\n${acme}certificates:\n  bought: {names: www.saltmarsh.example, from: {files: {certificate: a.pem, key: b.pem}}}\n  keepers: {names: log.saltmarsh.example, from: practice}\nroads:\n  www: {to: ":9", gate: everyone}\n  log: ":9"\n`,
    });
    const { code, err } = await mileMarker(['certs', 'obtain', ...(id === '' ? [] : [id])], site);
    const said = err.replace(/\s+/g, ' ');
    expect([code, said]).toEqual([2, expect.stringContaining(why)]);
    expect(said).toContain(line);
  },
);
