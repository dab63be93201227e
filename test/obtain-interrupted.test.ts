import { createPrivateKey } from 'node:crypto';
import { existsSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import pLimit from 'p-limit';
import { heldBy, pairOf, startAcmeSite, tsigKey, type AcmeSite } from './support/acme-site.ts';
import { dig } from './support/authority.ts';
import type { Meddle } from './support/meddler.ts';
import { ended, launch, mileMarker, mileMarkerProcess, type Ran } from './support/program.ts';

/**
 * Everything that can end a run in the middle, at every place where it can: the program killed before and after each question
 * to a real authority and before each change on the disk, a full disk, a disk that turns read-only, each answer of the authority
 * replaced by a refusal or by silence. Whatever happens: the pair in use fits, no key is readable by others, nothing secret
 * is said; and the next run, undisturbed, gets the certificate and leaves nothing behind.
 */

let site: AcmeSite;
let serial = 0;

beforeAll(async () => {
  site = await startAcmeSite('127.0.53.3');
});

afterAll(() => site.stop());

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
  expect(out + err).not.toContain(tsigKey.secret);
}

/** Runs it again, undisturbed: it gets the certificate, and nothing of either run is left. */
async function expectPickedUp(folder: string, name: string): Promise<void> {
  const account = accountKey(folder);
  const again = await mileMarker(['certs', 'obtain', 'it'], folder);
  expect([again.code, again.out, again.err]).toEqual([
    0,
    'certificate `it`: stored\n',
    expect.stringContaining('from 127.0.0.1'),
  ]);
  expectSound(folder);
  expect(heldBy(folder).subjectAltName).toBe(`DNS:${name}`);
  expect(dig(site.server, `_acme-challenge.${name}`, 'TXT')).toEqual([]);
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
/** Some of them, spread over all; `npm run thorough` tries every one. What kills is tried at more, what is told is told in the same places. */
async function eachOf(count: number, usually: 9 | 18, work: (number: number) => Promise<void>): Promise<void> {
  const every = Number(process.env['EVERY_CHANGE'] ?? usually);
  const numbers = Array.from({ length: Math.ceil(count / every) }, (_, index) => index * every + 1);
  await Promise.all(numbers.map((number) => abreast(() => work(number))));
}

const newName = (): string => `s${String((serial += 1))}.saltmarsh.example`;
const hook = join(__dirname, 'support/faults.mjs');
const faulty = (env: Record<string, string>): Record<string, string> => ({ NODE_OPTIONS: `--import ${hook}`, ...env });

async function changesOfOneRun(): Promise<number> {
  const name = newName();
  const folder = site.siteFor(name, site.authority.directory);
  const { code } = await mileMarkerProcess(
    ['certs', 'obtain', 'it'],
    folder,
    faulty({ FAULT_COUNT: join(folder, 'count') }),
  );
  expect(code).toBe(0);
  return Number(readFileSync(join(folder, 'count'), 'utf8'));
}

test.each(['kill', 'ENOSPC', 'EROFS'])(
  'a run that meets %s at any change on the disk',
  async (fault) => {
    const changes = await changesOfOneRun();
    expect(changes).toBeGreaterThan(20);
    await eachOf(changes, fault === 'kill' ? 9 : 18, async (number) => {
      const name = newName();
      const folder = site.siteFor(name, site.authority.directory);
      const env = faulty({ FAULT: fault, FAULT_AT: String(number) });
      const ran = await mileMarkerProcess(['certs', 'obtain', 'it'], folder, env);
      expectSound(folder);
      expectDiscreet(ran);
      if (fault === 'kill') expect(ran.code).toBe(null);
      await expectPickedUp(folder, name);
    });
  },
  3_600_000,
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
      /(Too\s+many\.|status 429)[^]*Try again after/,
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
      const plain = await site.meddler();
      const name = newName();
      expect((await mileMarker(['certs', 'obtain', 'it'], site.siteFor(name, plain.directory))).code).toBe(0);
      plain.stop();
      const questions = plain.steps.length;
      expect(questions).toBeGreaterThan(10);
      await eachOf(questions, words === null ? 9 : 18, async (number) => {
        const meddler = await site.meddler();
        const own = newName();
        const folder = site.siteFor(own, meddler.directory);
        const child = launch(['certs', 'obtain', 'it'], folder);
        const spoil = make({ kill: () => child.kill('SIGKILL') });
        // From this question on: a server in trouble does not mend itself at the next one.
        meddler.meddle((step, pass) => (meddler.steps.length < number ? pass() : spoil(step, pass)));
        const ran = await ended(child);
        expectSound(folder);
        expectDiscreet(ran);
        // The program asks for news a few times more or less from run to run; one that asked less was done before.
        const met = meddler.steps.length >= number;
        if (!met) expect(ran.code).toBe(0);
        else if (words === null) expect(ran.code).toBe(null);
        else expect([ran.code, ran.out + ran.err]).toEqual([3, expect.stringMatching(words)]);
        const placed = meddler.steps.slice(0, number - 1).includes('POST /order-plz');
        meddler.meddle((_, pass) => pass());
        if (ran.out.includes('Try again after')) forgetLimit(folder);
        await expectPickedUp(folder, own);
        // An order that is known is taken up: what was issued is not asked for twice.
        if (met && words === null && placed) expect(meddler.steps).not.toContain('POST /order-plz');
        meddler.stop();
      });
    },
    3_600_000,
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
