import { execFile, spawnSync } from 'node:child_process';
import { chmodSync, existsSync, mkdtempSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { startStandIn, type StandIn } from '../src/adapters/rehearsal/stand-in.ts';
import { end } from './support/background.ts';
import { ownNginx } from './support/own-nginx.ts';
import { practiceHead } from './support/site.ts';
import { folderWith, mileMarkerProcess, type Ran } from './support/program.ts';

/** What `docs/rebuild.md` says: the folder of the map is all there is, on whichever machine and at whichever place. */

let service: StandIn;
beforeAll(async () => {
  service = await startStandIn('roster');
});
afterAll(() => service.stop());

/** Beside the service, which lives in this process. */
function curl(https: number, ...argv: string[]): Promise<string> {
  const at = `roster.saltmarsh.example:${String(https)}`;
  const ask = ['-sk', '-o', '/dev/null', '-w', '%{http_code}', '--resolve', `${at}:127.0.0.1`];
  return new Promise((resolve) => execFile('curl', [...ask, ...argv, `https://${at}/`], (_, out) => resolve(out)));
}

const names = ['key.pem', 'certificate.pem'];
const pairOf = (site: string): string[] =>
  names.map((name) =>
    readFileSync(join(site, '.mile-marker/certificates/roster.saltmarsh.example/current', name), 'utf8'),
  );

test.each(['builtin', 'nginx'] as const)('a machine is rebuilt from the folder of its map: %s', async (proxy) => {
  const { head, https } = await practiceHead(proxy);
  const first = folderWith({
    'mile-marker.yaml': `${head}gates: {wardens: {people: people/wardens.htpasswd}}\nroads:\n  roster: {to: ":${String(service.port)}", gate: wardens}\n`,
  });
  // As a folder of a server is: its user gets there.
  chmodSync(first, 0o755);
  const before = proxy === 'nginx' ? ownNginx(folderWith()) : null;
  const run = (folder: string, env: Record<string, string> | undefined, ...argv: string[]): Promise<Ran> =>
    mileMarkerProcess(argv, folder, env);
  const added = await run(first, before?.env, 'people', 'add', 'edda', '--gate', 'wardens', '--generate');
  const password = added.out.trim().split(/\s+/).at(-1) ?? '';
  await run(first, before?.env, 'certs', 'make');
  if (before !== null) spawnSync('sh', ['-c', 'nginx'], { env: before.env });
  expect((await run(first, before?.env, 'install', '--yes')).err).toContain('Edition 0001 is live.');
  expect(await curl(https, '-u', `edda:${password}`)).toBe('200');
  end(first);
  await before?.stop();

  // Another machine: nothing but the folder, at another place, and an installed server that knows nothing of it.
  const folder = mkdtempSync('/tmp/mile-marker-rebuilt-');
  chmodSync(folder, 0o755);
  const second = join(folder, 'site');
  expect(spawnSync('cp', ['-a', first, second]).status).toBe(0);
  const after = proxy === 'nginx' ? ownNginx(folderWith()) : null;
  if (after !== null) spawnSync('sh', ['-c', 'nginx'], { env: after.env });
  const live = await run(second, after?.env, 'install', '--yes');
  expect([live.code, live.err]).toEqual([0, expect.stringContaining('is live')]);
  expect([await curl(https), await curl(https, '-u', `edda:${password}`)]).toEqual(['401', '200']);
  expect(pairOf(second)).toEqual(pairOf(first));
  expect(
    statSync(join(second, '.mile-marker/certificates/roster.saltmarsh.example/current/key.pem')).mode & 0o777,
  ).toBe(0o600);
  // Editions and their journal came along: there is something to go back to.
  writeFileSync(
    join(second, 'mile-marker.yaml'),
    readFileSync(join(second, 'mile-marker.yaml'), 'utf8').replace('gate: wardens}', 'gate: everyone}'),
  );
  expect((await run(second, after?.env, 'install', '--yes')).err).toContain('is live.');
  expect(await curl(https)).toBe('200');
  expect((await run(second, after?.env, 'undo', 'front', '--yes')).code).toBe(0);
  expect(await curl(https)).toBe('401');
  expect(existsSync(join(first, '.mile-marker/front/current'))).toBe(true);
  end(second);
  await after?.stop();
});
