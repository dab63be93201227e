import { spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { pairProblem } from '../src/adapters/certificates/right-pair.ts';
import { heldBy, startAcmeSite, type AcmeSite } from './support/acme-site.ts';
import type { Meddle, Meddler, Reply } from './support/meddler.ts';
import { ended, folderWith, launch, mileMarker, says } from './support/program.ts';

/** An authority that is not what it should be: what it says reaches no path, no record and no server that was not meant. */

let site: AcmeSite;
let meddler: Meddler;

beforeAll(async () => {
  site = await startAcmeSite('127.0.53.14');
  meddler = await site.meddler();
});

afterAll(async () => {
  meddler.stop();
  await site.stop();
});

interface Authorization {
  identifier: { value: string };
  challenges: Array<{ token: string }>;
}

/** Changes what it says of an authorization, and nothing else. */
const sayingOf =
  (change: (said: Authorization) => void): Meddle =>
  async (step, pass) => {
    const reply = await pass();
    if (!step.startsWith('POST /authZ')) return reply;
    const said = JSON.parse(reply.body) as Authorization;
    change(said);
    return { ...reply, body: JSON.stringify(said) };
  };

test.each<[string, (said: Authorization) => void]>([
  ['a name that climbs out of the folder', (said) => (said.identifier.value = '../../../precious')],
  ['a name that was not ordered', (said) => (said.identifier.value = 'victim.reedbed.example')],
  ['a name with a line end', (said) => (said.identifier.value = 'it.saltmarsh.example\nx')],
  ['a token that climbs out of the folder', (said) => said.challenges.forEach((one) => (one.token = '../../../../x'))],
  ['an empty token', (said) => said.challenges.forEach((one) => (one.token = ''))],
])('%s: nothing is written, removed or published', async (_, change) => {
  const folder = site.siteFor('odd.saltmarsh.example', meddler.directory, { dns: `dns: {program: [./note]}` });
  mkdirSync(join(folder, 'precious'));
  writeFileSync(join(folder, 'precious', 'kept'), 'x');
  writeFileSync(join(folder, 'note'), `#!/bin/sh\necho "$@" >> ${folder}/published\n`, { mode: 0o755 });
  meddler.meddle(sayingOf(change));
  const ran = await mileMarker(['certs', 'obtain', '--resolver', site.server], folder);
  expect([ran.code, ran.out]).toEqual([3, expect.stringMatching(/authority|Nothing/)]);
  expect(existsSync(join(folder, 'precious', 'kept'))).toBe(true);
  expect(existsSync(join(folder, 'published'))).toBe(false);
});

test('more proofs than names were ordered: none is fetched', async () => {
  const folder = site.siteFor('many.saltmarsh.example', meddler.directory);
  meddler.meddle(async (step, pass) => {
    const reply = await pass();
    if (step !== 'POST /order-plz') return reply;
    const said = JSON.parse(reply.body) as { authorizations: string[] };
    const authorizations = Array.from({ length: 5000 }, () => said.authorizations[0]);
    return { ...reply, body: JSON.stringify({ ...said, authorizations }) };
  });
  const ran = await mileMarker(['certs', 'obtain'], folder);
  expect([ran.code, ran.out.replace(/\s+/g, ' ')]).toEqual([3, expect.stringContaining('asks for 5000 proofs')]);
  expect(meddler.steps.filter((step) => step.startsWith('POST /authZ'))).toEqual([]);
});

test('a problem text of many lines and colours is one short line', async () => {
  const folder = site.siteFor('words.saltmarsh.example', meddler.directory);
  const detail = `\u001b[31mrun this:\n\ncurl evil.example${'x'.repeat(5000)}`;
  const refusal: Reply = { status: 403, headers: {}, body: JSON.stringify({ type: 'about:blank', detail }) };
  meddler.meddle((step, pass) => (step === 'POST /order-plz' ? Promise.resolve(refusal) : pass()));
  const { code, out } = await mileMarker(['certs', 'obtain'], folder);
  expect(code).toBe(3);
  expect(out).not.toContain('\u001b');
  expect(out.length).toBeLessThan(1500);
});

test('an answer that never ends: Ctrl-C ends it at once', async () => {
  const folder = site.siteFor('slow.saltmarsh.example', meddler.directory);
  meddler.meddle((step, pass) => (step === 'POST /order-plz' ? new Promise(() => undefined) : pass()));
  const child = launch(['certs', 'obtain'], folder);
  await says(child, 'slow.saltmarsh.example from');
  while (!meddler.steps.includes('POST /order-plz')) await new Promise((resolve) => setTimeout(resolve, 20));
  child.kill('SIGINT');
  expect((await ended(child)).code).toBe(130);
});

test('a certificate for another key is not stored, the one in use stays, and the next run gets a right one', async () => {
  const folder = site.siteFor('key.saltmarsh.example', meddler.directory);
  meddler.meddle((_, pass) => pass());
  expect((await mileMarker(['certs', 'obtain'], folder)).code).toBe(0);
  const before = heldBy(folder).fingerprint256;
  const made = pairsFor(['key.saltmarsh.example']);
  meddler.meddle(async (step, pass) => {
    const reply = await pass();
    return step.startsWith('POST /certZ') ? { ...reply, body: made.right.certificate } : reply;
  });
  const ran = await mileMarker(['certs', 'renew', 'it'], folder);
  expect([ran.code, ran.out.replace(/\s+/g, ' ')]).toEqual([3, expect.stringContaining('it is for another key')]);
  expect(heldBy(folder).fingerprint256).toBe(before);
  meddler.meddle((_, pass) => pass());
  expect((await mileMarker(['certs', 'renew', 'it'], folder)).code).toBe(0);
  expect(heldBy(folder).fingerprint256).not.toBe(before);
});

test('a pair that no server takes is due', async () => {
  const folder = site.siteFor('due.saltmarsh.example', site.authority.directory);
  expect((await mileMarker(['certs', 'obtain'], folder)).code).toBe(0);
  const key = join(folder, '.mile-marker', 'certificates', 'it', 'current', 'key.pem');
  writeFileSync(key, pairsFor(['due.saltmarsh.example']).right.key);
  const due = await mileMarker(['certs', 'renew', '--dry-run'], folder);
  expect(due.out).toContain('it: due');
  expect((await mileMarker(['certs', 'renew'], folder)).code).toBe(0);
  expect(heldBy(folder).publicKey.export({ type: 'spki', format: 'pem' })).toBe(
    spawnSync('openssl', ['pkey', '-in', key, '-pubout'], { encoding: 'utf8' }).stdout,
  );
});

test('what a run that was killed left behind is named, and taken back by the next renewal', async () => {
  const folder = site.siteFor('left.saltmarsh.example', site.authority.directory, { dns: `dns: {program: [./note]}` });
  writeFileSync(join(folder, 'note'), `#!/bin/sh\necho "$@" >> ${folder}/published\n`, { mode: 0o755 });
  const acme = join(folder, '.mile-marker', 'acme');
  mkdirSync(acme, { recursive: true });
  const proof = { name: 'left.saltmarsh.example', kind: 'dns', token: 'tide', value: 'low' };
  writeFileSync(join(acme, 'gone.pending.json'), JSON.stringify([proof]));
  writeFileSync(join(acme, 'gone.order.json'), JSON.stringify({ url: 'https://a.example/1', for: 'x' }));
  writeFileSync(join(acme, 'gone.order.key'), 'secret');
  expect((await mileMarker(['certs'], folder)).err).toContain('`gone` was interrupted');
  await mileMarker(['certs', 'renew', '--resolver', site.server, '--wait', '1s'], folder);
  expect(readFileSync(join(folder, 'published'), 'utf8').split('\n')[0]).toBe(
    'remove _acme-challenge.left.saltmarsh.example TXT low',
  );
  for (const name of ['gone.pending.json', 'gone.order.json', 'gone.order.key'])
    expect([name, existsSync(join(acme, name))]).toEqual([name, false]);
});

describe('a certificate is stored only when it is right', () => {
  const names = ['tides.saltmarsh.example', '*.saltmarsh.example'];
  let made: ReturnType<typeof pairsFor>;
  const now = Date.now();
  beforeAll(() => {
    made = pairsFor(names);
  });

  test('as ordered', () => {
    expect(pairProblem(made.right, { names, now })).toBeNull();
    expect(pairProblem(made.right, { names: [...names].reverse(), now })).toBeNull();
  });

  test.each<[string, () => string | null, RegExp]>([
    ['another key', () => pairProblem({ ...made.right, key: made.other.key }, { names, now }), /another key/],
    ['no key', () => pairProblem({ ...made.right, key: 'x' }, { names, now }), /another key/],
    ['a name missing', () => pairProblem(made.right, { names: [...names, 'x.saltmarsh.example'], now }), /lacks x/],
    ['a name besides', () => pairProblem(made.right, { names: names.slice(1), now }), /also covers tides/],
    ['an address besides', () => pairProblem(made.address, { names, now }), /something other than host names/],
    ['of an authority', () => pairProblem(made.authority, { names, now }), /for an authority/],
    ['not for servers', () => pairProblem(made.mail, { names, now }), /not for servers/],
    ['ended', () => pairProblem(made.right, { names, now: now + 91 * 86_400_000 }), /expired on/],
    ['not yet', () => pairProblem(made.right, { names, now: now - 86_400_000 }), /is valid from/],
    ['rubbish behind it', () => pairProblem(more(made.right, 'rubbish'), { names, now }), /not a plain list/],
    ['a key behind it', () => pairProblem(more(made.right, made.other.key), { names, now }), /not a plain list/],
    ['nothing at all', () => pairProblem({ ...made.right, certificate: '' }, { names, now }), /not a plain list/],
    ['cut off', () => pairProblem(cut(made.right), { names, now }), /cannot be read|not a plain list/],
    ['a chain of somebody else', () => pairProblem(more(made.right, made.stranger), { names, now }), /has a gap/],
    [
      'a leaf as chain',
      () => pairProblem(more(made.right, made.other.certificate), { names, now }),
      /not one of an authority/,
    ],
    [
      'itself again and again',
      () => pairProblem(more(made.right, made.middle.repeat(12)), { names, now }),
      /has 14 cert/,
    ],
    ['very long', () => pairProblem(more(made.right, ' '.repeat(300_000)), { names, now }), /too long/],
  ])('%s', (_, problem, words) => {
    expect(problem()).toMatch(words);
  });
});

interface Made {
  certificate: string;
  key: string;
}

const more = (pair: Made, text: string): Made => ({ ...pair, certificate: `${pair.certificate}${text}` });
const cut = (pair: Made): Made => ({ ...pair, certificate: pair.certificate.replace(/(BEGIN[^\n]*\n)./, '$1A') });

/** A root, an intermediate, and leaves of it: right ones and others. */
function pairsFor(names: readonly string[]): Record<'right' | 'other' | 'address' | 'authority' | 'mail', Made> & {
  middle: string;
  stranger: string;
} {
  const all = names.map((name) => `DNS:${name}`).join(',');
  const folder = folderWith({
    ca: 'basicConstraints=critical,CA:true\n',
    right: `subjectAltName=${all}\nextendedKeyUsage=serverAuth\n`,
    other: 'subjectAltName=DNS:other.saltmarsh.example\n',
    address: `subjectAltName=${all},IP:203.0.113.24\n`,
    authority: `subjectAltName=${all}\nbasicConstraints=critical,CA:true\n`,
    mail: `subjectAltName=${all}\nextendedKeyUsage=emailProtection\n`,
  });
  const openssl = (...argv: string[]): void => {
    const { status, stderr } = spawnSync('openssl', argv, { cwd: folder, encoding: 'utf8' });
    if (status !== 0) throw new Error(`${argv.join(' ')}: ${stderr}`);
  };
  const make = (name: string, issuer: string | null, extensions: string): string => {
    const ec = ['-newkey', 'ec', '-pkeyopt', 'ec_paramgen_curve:P-256'];
    openssl('req', ...ec, '-nodes', '-keyout', `${name}.key`, '-out', `${name}.csr`, '-subj', `/CN=${name}`);
    const signer =
      issuer === null
        ? ['-signkey', `${name}.key`]
        : ['-CA', `${issuer}.crt`, '-CAkey', `${issuer}.key`, '-CAcreateserial'];
    openssl(
      'x509',
      '-req',
      '-in',
      `${name}.csr`,
      ...signer,
      '-days',
      '90',
      '-extfile',
      extensions,
      '-out',
      `${name}.crt`,
    );
    return readFileSync(join(folder, `${name}.crt`), 'utf8');
  };
  make('root', null, 'ca');
  const middle = make('middle', 'root', 'ca');
  const stranger = make('stranger', 'root', 'ca');
  const pair = (name: string): Made => ({
    certificate: `${make(name, 'middle', name)}${middle}`,
    key: readFileSync(join(folder, `${name}.key`), 'utf8'),
  });
  return {
    ...{ right: pair('right'), other: pair('other'), address: pair('address') },
    ...{ authority: pair('authority'), mail: pair('mail'), middle, stranger },
  };
}
