import { spawnSync } from 'node:child_process';
import { heldBy, startAcmeSite, tsigKey, type AcmeSite } from './support/acme-site.ts';
import { dig } from './support/authority.ts';
import type { Meddle, Meddler } from './support/meddler.ts';
import { launch, mileMarker, says } from './support/program.ts';

/**
 * What an authority, a zone or a person may say to an order. The authority of Debian knows neither limits nor CAA domains, so
 * a relay before it plays these; everything else is its own.
 */

let site: AcmeSite;
let meddler: Meddler;

beforeAll(async () => {
  site = await startAcmeSite('127.0.53.4');
  meddler = await site.meddler();
});

afterAll(async () => {
  meddler.stop();
  await site.stop();
});

const limit = { type: 'urn:ietf:params:acme:error:rateLimited', detail: 'Too many orders of late.' };

test('a limit ends the work at once and is remembered: the authority is left alone until then', async () => {
  const folder = site.siteFor('log.saltmarsh.example', meddler.directory);
  const refuse: Meddle = (step, pass) =>
    step === 'POST /order-plz'
      ? Promise.resolve({ status: 429, headers: { 'retry-after': '7200' }, body: JSON.stringify(limit) })
      : pass();
  meddler.meddle(refuse);
  const soon = Date.now() + 7_100_000;
  const ran = await mileMarker(['certs', 'obtain'], folder);
  expect(ran.code).toBe(3);
  expect(ran.out.replace(/\s+/g, ' ')).toContain(
    'too many requests: Too many orders of late. There is no certificate in use.',
  );
  const [, until = ''] = /Try again after (\S+)\. /.exec(ran.out) ?? [];
  expect(Date.parse(until)).toBeGreaterThan(soon);
  expect(meddler.steps.filter((step) => step === 'POST /order-plz')).toHaveLength(1);
  meddler.meddle((_, pass) => pass());
  for (const command of ['obtain', 'renew']) {
    const again = await mileMarker(['certs', command, 'it'], folder);
    expect([again.code, again.out]).toEqual([3, expect.stringContaining(until)]);
  }
  expect(meddler.steps).toEqual([]);
});

test('a server that is busy for a moment is asked again when it says', async () => {
  const folder = site.siteFor('tides.saltmarsh.example', meddler.directory);
  let busy = 2;
  meddler.meddle((step, pass) => {
    if (step !== 'POST /order-plz' || busy === 0) return pass();
    busy -= 1;
    return Promise.resolve({ status: 503, headers: { 'retry-after': '0' }, body: '' });
  });
  const { code, out } = await mileMarker(['certs', 'obtain'], folder);
  expect([code, out]).toEqual([0, 'certificate `it`: stored\n']);
});

test('a CAA record for somebody else keeps the authority from being asked; one for it lets it', async () => {
  const allowed: Meddle = async (step, pass) => {
    const reply = await pass();
    if (step !== 'GET /dir') return reply;
    const directory = JSON.parse(reply.body) as { meta: object };
    const meta = { ...directory.meta, caaIdentities: ['authority.example'] };
    return { ...reply, body: JSON.stringify({ ...directory, meta }) };
  };
  meddler.meddle(allowed);
  const ran = await mileMarker(['certs', 'obtain'], site.siteFor('barred.saltmarsh.example', meddler.directory));
  expect(ran.code).toBe(3);
  expect(ran.out.replace(/\s+/g, ' ')).toContain('The CAA record of barred.saltmarsh.example does not allow');
  expect(ran.out).toContain('CAA 0 issue "authority.example"');
  expect(meddler.steps).not.toContain('POST /order-plz');
  const { code } = await mileMarker(['certs', 'obtain'], site.siteFor('let-in.saltmarsh.example', meddler.directory));
  expect(code).toBe(0);
});

test('a zone that takes no updates is told with the name of key and zone', async () => {
  const folder = site.siteFor('hide.reedbed.example', site.authority.directory);
  const { code, out } = await mileMarker(['certs', 'obtain'], folder);
  expect([code, out.replace(/\s+/g, ' ')]).toEqual([3, expect.stringMatching(/refused the record .*NOTAUTH|REFUSED/)]);
  expect(out.replace(/\s+/g, ' ')).toContain('Check that the key marsh may update the zone reedbed.example there');
});

test('RSA keys for those who still need them', async () => {
  const folder = site.siteFor('roster.saltmarsh.example', site.authority.directory, { kind: 'rsa' });
  expect((await mileMarker(['certs', 'obtain'], folder)).code).toBe(0);
  const { publicKey } = heldBy(folder);
  expect([publicKey.asymmetricKeyType, publicKey.asymmetricKeyDetails?.modulusLength]).toEqual(['rsa', 2048]);
});

test('by hand: the record is printed, its arrival watched, and its removal asked for', async () => {
  const folder = site.siteFor('hut.saltmarsh.example', site.authority.directory, { dns: '' });
  const child = launch(['certs', 'obtain', '--resolver', site.server, '--wait', '20s'], folder);
  let said = '';
  child.stderr.setEncoding('utf8').on('data', (text: string) => (said += text));
  const closed = new Promise<number | null>((resolve) => child.once('close', resolve));
  await says(child, 'waiting for ns1.saltmarsh.example');
  const [, record = ''] = /Add this record to the zone saltmarsh.example:\n {2}(.*)\n/.exec(said) ?? [];
  const lines = `server ${site.server}\nkey hmac-sha256:${tsigKey.name} ${tsigKey.secret}\nzone saltmarsh.example.\nadd ${record}\nsend\n`;
  expect(spawnSync('knsupdate', { input: lines, encoding: 'utf8' }).status).toBe(0);
  expect(await closed).toBe(0);
  expect(said).toContain('Afterwards remove it: _acme-challenge.hut.saltmarsh.example. TXT "');
  expect(dig(site.server, '_acme-challenge.hut.saltmarsh.example', 'TXT')).toHaveLength(1);
});
