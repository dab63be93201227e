import { createPrivateKey, X509Certificate } from 'node:crypto';
import { cpSync, existsSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import pLimit from 'p-limit';
import { dig, startAuthority, startNameServer, type Authority } from './support/authority.ts';
import { makeCertificates } from './support/engine.ts';
import { startMeddler, type Meddle } from './support/meddler.ts';
import { freePorts } from './support/ports.ts';
import { ended, folderWith, launch, mileMarker, type Ran } from './support/program.ts';

/**
 * Everything that can end a run in the middle, at every place where it can: the program killed before and after each question
 * to a real authority and before each change on the disk, a full disk, a disk that turns read-only, each answer of the authority
 * replaced by a refusal or by silence. Whatever happens: the pair in use fits, no key is readable by others, nothing secret
 * is said; and the next run, undisturbed, gets the certificate and leaves nothing behind.
 */

const key = { name: 'marsh', secret: Buffer.from('a secret of thirty-two octets ...').toString('base64') };
const server = '127.0.53.3';
const zone = `$ORIGIN saltmarsh.example.
@ 60 SOA ns1.saltmarsh.example. keeper.saltmarsh.example. 1 60 60 60 60
@ 60 NS ns1
ns1 60 A ${server}
barred 60 CAA 0 issue "somebody-else.example"
barred-wild 60 CAA 0 issue "authority.example"
barred-wild 60 CAA 0 issuewild ";"
`;

let authority: Authority;
let template: string;
let tls: string;
let stops: Array<() => Promise<void>>;
let serial = 0;

beforeAll(async () => {
  const folder = folderWith();
  const [api = 0, management = 0, http = 0] = await freePorts(3);
  const names = await startNameServer({ folder, address: server, zones: { 'saltmarsh.example': zone }, key });
  authority = await startAuthority({ folder, ports: [api, management, http], nameServer: `${server}:53` });
  stops = [authority.stop, names.stop];
  tls = join(folder, 'tls');
  makeCertificates(tls);
  template = siteFor('template', authority.directory);
  // The front runs with a throwaway certificate before there is a real one.
  await mileMarker(['write'], template);
}, 60_000);

afterAll(async () => {
  for (const end of stops) await end();
});

interface SiteOptions {
  names?: string;
  kind?: 'ec' | 'rsa';
  dns?: string;
}

function siteFor(name: string, directory: string, options: SiteOptions = {}): string {
  const { names = `${name}.saltmarsh.example`, kind = 'ec', dns = `{server: "${server}", key: tsig.key}` } = options;
  const folder = folderWith({
    'mile-marker.yaml': `domains: [saltmarsh.example]
front: {address: 127.0.0.1, ports: {http: 8080, https: 8443}, mark: "127.0.0.1:9180"}
acme: {directory: "${directory}", root: root.pem, challenge: dns}
dns: ${dns}
certificates:
  it: {names: "${names}", from: acme, key: ${kind}}
roads:
  ${name}: ":9"
`,
    'tsig.key': `key "${key.name}" { algorithm hmac-sha256; secret "${key.secret}"; };\n`,
    'root.pem': readFileSync(join(tls, 'ca.pem'), 'utf8'),
  });
  if (name !== 'template') cpSync(join(template, '.mile-marker'), join(folder, '.mile-marker'), { recursive: true });
  return folder;
}

const pairOf = (folder: string): string => join(folder, '.mile-marker/certificates/it/current');
const heldBy = (folder: string): X509Certificate =>
  new X509Certificate(readFileSync(join(pairOf(folder), 'certificate.pem')));

/** What must hold at any instant, whatever has happened. */
function expectSound(folder: string): void {
  expect(heldBy(folder).checkPrivateKey(createPrivateKey(readFileSync(join(pairOf(folder), 'key.pem'))))).toBe(true);
  const open = readdirSync(folder, { recursive: true, encoding: 'utf8' })
    .map((file) => join(folder, file))
    .filter((file) => existsSync(file) && statSync(file).isFile() && (statSync(file).mode & 0o077) !== 0)
    .filter((file) => readFileSync(file, 'utf8').includes('PRIVATE KEY'));
  expect(open).toEqual([]);
}

function expectDiscreet({ out, err }: Ran): void {
  expect(out + err).not.toMatch(/PRIVATE KEY|mistake in Mile Marker/);
  expect(out + err).not.toContain(key.secret);
}

/** Runs it again, undisturbed: it gets the certificate, and nothing of either run is left. */
async function expectPickedUp(folder: string, name: string): Promise<void> {
  const account = accountKey(folder);
  const again = await mileMarker(['certs', 'obtain', 'it'], folder);
  expect([again.code, again.out, again.err]).toEqual([
    0,
    'it is held now\n',
    expect.stringContaining('from 127.0.0.1'),
  ]);
  expectSound(folder);
  expect(heldBy(folder).subjectAltName).toBe(`DNS:${name}.saltmarsh.example`);
  expect(dig(server, `_acme-challenge.${name}.saltmarsh.example`, 'TXT')).toEqual([]);
  expect(readdirSync(join(folder, '.mile-marker/acme')).filter((file) => file.includes('it.'))).toEqual([]);
  expect(account === null || account === accountKey(folder)).toBe(true);
}

function accountKey(folder: string): string | null {
  const own = join(folder, '.mile-marker/acme');
  const hosts = existsSync(own) ? readdirSync(own).filter((name) => name.startsWith('127.')) : [];
  const file = join(own, hosts[0] ?? 'none', 'account.key');
  return existsSync(file) ? readFileSync(file, 'utf8') : null;
}

const abreast = pLimit(4);
const eachOf = (count: number, work: (number: number) => Promise<void>): Promise<void[]> =>
  Promise.all(Array.from({ length: count }, (_, index) => abreast(() => work(index + 1))));

const newName = (): string => `s${String((serial += 1))}`;
const hook = join(__dirname, 'support/faults.mjs');
const faulty = (env: Record<string, string>): Record<string, string> => ({ NODE_OPTIONS: `--import ${hook}`, ...env });

async function changesOfOneRun(): Promise<number> {
  const name = newName();
  const directory = authority.directory;
  const folder = siteFor(name, directory);
  writeFileSync(join(folder, 'root.pem'), readFileSync(authority.root));
  const { code } = await mileMarker(['certs', 'obtain', 'it'], folder, faulty({ FAULT_COUNT: join(folder, 'count') }));
  expect(code).toBe(0);
  return Number(readFileSync(join(folder, 'count'), 'utf8'));
}

test.each(['kill', 'ENOSPC', 'EROFS'])(
  'a run that meets %s at any change on the disk',
  async (fault) => {
    const changes = await changesOfOneRun();
    expect(changes).toBeGreaterThan(20);
    await eachOf(changes, async (number) => {
      const name = newName();
      const folder = siteFor(name, authority.directory);
      writeFileSync(join(folder, 'root.pem'), readFileSync(authority.root));
      const env = faulty({ FAULT: fault, FAULT_AT: String(number) });
      const ran = await mileMarker(['certs', 'obtain', 'it'], folder, env);
      expectSound(folder);
      expectDiscreet(ran);
      if (fault === 'kill') expect(ran.code).toBe(null);
      await expectPickedUp(folder, name);
    });
  },
  300_000,
);

describe('an authority that is met', () => {
  const ways: Array<[string, (run: { kill: () => void }) => Meddle, RegExp | null]> = [
    [
      'killed before it asks',
      ({ kill }) =>
        () => (kill(), Promise.resolve(null)),
      null,
    ],
    [
      'killed before it hears',
      ({ kill }) =>
        async (_, pass) => (await pass(), kill(), null),
      null,
    ],
    [
      'with a refusal',
      () => () => Promise.resolve(problem(403, 'unauthorized', 'The tide is out.')),
      /The tide is out\.|error 403/,
    ],
    [
      'with a limit',
      () => () => Promise.resolve(problem(429, 'rateLimited', 'Too many.', '90')),
      /(Too many\.|status 429)[^]*Try again after/,
    ],
    [
      'with its own failure',
      () => () => Promise.resolve(problem(500, 'serverInternal', 'Flooded.', '0')),
      /Flooded|status 500/,
    ],
    ['with garbage', () => () => Promise.resolve({ status: 200, headers: {}, body: '<html>' }), /127\.0\.0\.1/],
  ];

  test.each(ways)(
    '%s, at every question',
    async (_, make, words) => {
      const plain = await startMeddler(authority, tls);
      const name = newName();
      expect((await mileMarker(['certs', 'obtain', 'it'], siteFor(name, plain.directory))).code).toBe(0);
      plain.stop();
      const questions = plain.steps.length;
      expect(questions).toBeGreaterThan(10);
      await eachOf(questions, async (number) => {
        const meddler = await startMeddler(authority, tls);
        const own = newName();
        const folder = siteFor(own, meddler.directory);
        const child = launch(['certs', 'obtain', 'it'], folder);
        const spoil = make({ kill: () => child.kill('SIGKILL') });
        // From this question on: a server in trouble does not mend itself at the next one.
        meddler.meddle((step, pass) => (meddler.steps.length < number ? pass() : spoil(step, pass)));
        const ran = await ended(child);
        expectSound(folder);
        expectDiscreet(ran);
        if (words === null) expect(ran.code).toBe(null);
        else expect([ran.code, ran.out + ran.err]).toEqual([3, expect.stringMatching(words)]);
        meddler.meddle((_, pass) => pass());
        if (ran.out.includes('Try again after')) forgetLimit(folder);
        await expectPickedUp(folder, own);
        meddler.stop();
      });
    },
    300_000,
  );
});

function problem(status: number, type: string, detail: string, retryAfter?: string): Awaited<ReturnType<Meddle>> {
  const headers = {
    'content-type': 'application/problem+json',
    'replay-nonce': 'none',
    ...(retryAfter === undefined ? {} : { 'retry-after': retryAfter }),
  };
  return { status, headers, body: JSON.stringify({ type: `urn:ietf:params:acme:error:${type}`, detail }) };
}

function forgetLimit(folder: string): void {
  writeFileSync(join(folder, '.mile-marker/acme/journal.jsonl'), '');
}
