import { proxyNames } from '../src/core/proxies/names.ts';
import { X509Certificate } from 'node:crypto';
import { chmodSync, existsSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import nodeHttps from 'node:https';
import { join } from 'node:path';
import { dig, startAuthority, startNameServer, type Authority } from './support/authority.ts';
import { runFront, type ProxyName, type RunningFront } from './support/fronts.ts';
import { makeCertificates } from './support/engine.ts';
import { freePorts, listening, portOf } from './support/ports.ts';
import { folderWith, launch, mileMarker, says, stop } from './support/program.ts';

/** Certificates from a real ACME authority, proven over HTTP by both proxies and over DNS by a real name server. */

const key = { name: 'marsh', secret: Buffer.from('a secret of thirty-two octets ...').toString('base64') };
const first = '127.0.53.1';
const second = '127.0.53.2';
const zone = (...servers: string[]): string =>
  `@ 60 SOA ns1.saltmarsh.example. keeper.saltmarsh.example. 1 60 60 60 60\n${servers.map((name) => `@ 60 NS ${name}.saltmarsh.example.\n`).join('')}`;
const saltmarsh = `$ORIGIN saltmarsh.example.\n${zone('ns1')}ns1 60 A ${first}\nns2 60 A ${second}\n@ 60 A 127.0.0.1\n* 60 A 127.0.0.1\n_acme-challenge.alias 60 CNAME there\n_acme-challenge.ring 60 CNAME _acme-challenge.ring.saltmarsh.example.\n`;

let authority: Authority;
let stops: Array<() => Promise<void>>;
let http = 0;
let https = 0;
let mark = 0;

beforeAll(async () => {
  const folder = folderWith();
  const [api = 0, management = 0, ...rest] = await freePorts(5);
  [http = 0, https = 0, mark = 0] = rest;
  const zones = {
    'saltmarsh.example': saltmarsh,
    'reedbed.example': `$ORIGIN reedbed.example.\n${zone('ns1')}`,
    'lagging.example': `$ORIGIN lagging.example.\n${zone('ns1', 'ns2')}`,
  };
  const one = await startNameServer({ folder, address: first, zones, key });
  // It serves an older state of the zone, and nobody tells it of the newer one.
  const two = await startNameServer({
    folder,
    address: second,
    zones: { 'lagging.example': zones['lagging.example'] },
    key,
  });
  authority = await startAuthority({
    folder,
    ports: [api, management, http],
    nameServer: `${first}:53`,
    // The client asks six times: with a fifth refused one run in a few hundred failed by that.
    badNonces: 10,
  });
  stops = [authority.stop, two.stop, one.stop];
});

afterAll(async () => {
  for (const end of stops) await end();
});

interface MapInput {
  proxy?: ProxyName;
  challenge: 'http' | 'dns';
  roads: string;
  dns?: string;
  more?: string;
}

function siteWith({
  proxy = 'builtin',
  challenge,
  roads,
  dns = `dns: {server: "${first}", key: tsig.key}`,
  more = '',
}: MapInput): string {
  const folder = folderWith({
    'mile-marker.yaml': `domains: [saltmarsh.example, reedbed.example, lagging.example]
front:
  address: 127.0.0.1
  proxy: ${proxy}
  ports: {http: ${String(http)}, https: ${String(https)}}
  mark: 127.0.0.1:${String(mark)}
acme: {directory: "${authority.directory}", root: root.pem, challenge: ${challenge}}
${dns}
${more}roads:
${roads}`,
    'tsig.key': `key "${key.name}" {\n  algorithm hmac-sha256;\n  secret "${key.secret}";\n};\n`,
  });
  writeFileSync(join(folder, 'root.pem'), readFileSync(authority.root));
  chmodSync(folder, 0o755);
  return folder;
}

const held = (folder: string, id: string): X509Certificate =>
  new X509Certificate(readFileSync(join(folder, '.mile-marker/certificates', id, 'current/certificate.pem')));

const txt = (name: string): string[] => dig(first, `_acme-challenge.${name}`, 'TXT');

describe.each<ProxyName>(proxyNames)('over HTTP by %s', (proxy) => {
  test('the front starts with the throwaway certificate, answers the challenge, and then shows the real one', async () => {
    const folder = siteWith({ proxy, challenge: 'http', roads: '  log: ":9"\n  www: {to: ":9", gate: everyone}\n' });
    await mileMarker(['write'], folder);
    const front: RunningFront = await runFront(folder, proxy);
    try {
      const { code, out, err } = await mileMarker(['certs', 'obtain'], folder);
      expect([code, out, err]).toEqual([
        0,
        'certificate `log.saltmarsh.example`: stored\ncertificate `www.saltmarsh.example`: stored\n',
        expect.stringContaining('proven'),
      ]);
    } finally {
      await front.stop();
    }
    expect(held(folder, 'log.saltmarsh.example').subjectAltName).toBe('DNS:log.saltmarsh.example');
    const pair = join(folder, '.mile-marker/certificates/www.saltmarsh.example/current');
    expect(statSync(join(pair, 'key.pem')).mode & 0o777).toBe(0o600);
    const left = readdirSync(join(folder, '.mile-marker/challenges'), { withFileTypes: true });
    expect(left.filter((entry) => entry.isDirectory())).toEqual([]);
    expect((await mileMarker(['check'], folder)).out).not.toContain('certificate');
  });
});

test('without a front that answers, the authority is not even asked', async () => {
  const folder = siteWith({ challenge: 'http', roads: '  log: ":9"\n' });
  const { code, out } = await mileMarker(['certs', 'obtain'], folder);
  expect([code, out.replace(/\s+/g, ' ')]).toEqual([
    3,
    expect.stringContaining('The front does not answer the challenge for log.saltmarsh.example'),
  ]);
  expect(out.replace(/\s+/g, ' ')).toContain('There is no certificate in use.');
  expect(existsSync(join(folder, '.mile-marker/challenges/log.saltmarsh.example'))).toBe(false);
});

test('over DNS the smallest set is one wildcard with the bare name, two values side by side, taken away again', async () => {
  const folder = siteWith({
    challenge: 'dns',
    roads: '  saltmarsh.example: {to: ":9", gate: everyone}\n  log: ":9"\n  cam: ":9"\n',
  });
  const { code, err } = await mileMarker(['certs', 'obtain'], folder);
  expect([code, err]).toEqual([
    0,
    expect.stringContaining('saltmarsh.example: saltmarsh.example, *.saltmarsh.example from'),
  ]);
  expect(held(folder, 'saltmarsh.example').subjectAltName?.split(', ').sort()).toEqual([
    'DNS:*.saltmarsh.example',
    'DNS:saltmarsh.example',
  ]);
  expect(txt('saltmarsh.example')).toEqual([]);
  const again = await mileMarker(['certs', 'renew'], folder);
  expect([again.code, again.err]).toEqual([0, expect.stringContaining('Nothing is due.')]);
  const before = held(folder, 'saltmarsh.example').serialNumber;
  const renewed = await mileMarker(['certs', 'renew', 'saltmarsh.example'], folder);
  expect([renewed.code, held(folder, 'saltmarsh.example').serialNumber === before]).toEqual([0, false]);
  expect(readdirSync(join(folder, '.mile-marker/certificates/saltmarsh.example')).sort()).toEqual([
    '0001',
    '0002',
    'current',
  ]);
});

test('practice first, then one authority, then another: what is stored from elsewhere is not enough', async () => {
  const more = 'certificates:\n  log: {names: log.saltmarsh.example}\n';
  const folder = siteWith({ challenge: 'dns', roads: '  log: ":9"\n', more });
  const map = join(folder, 'mile-marker.yaml');
  const real = readFileSync(map, 'utf8');
  writeFileSync(map, real.replace(/^acme: .*\n/m, ''));
  expect((await mileMarker(['certs', 'make'], folder)).code).toBe(0);
  writeFileSync(map, real);
  expect((await mileMarker(['check'], folder)).out.replace(/\s+/g, ' ')).toContain('do: Run: mile-marker certs obtain');
  expect((await mileMarker(['certs', 'obtain'], folder)).out).toBe('certificate `log`: stored\n');
  const ports = await freePorts(3);
  const other = await startAuthority({
    folder: folderWith(),
    ports: [ports[0] ?? 0, ports[1] ?? 0, http],
    nameServer: `${first}:53`,
  });
  try {
    writeFileSync(join(folder, 'root.pem'), readFileSync(other.root));
    writeFileSync(map, real.replace(authority.directory, other.directory));
    expect((await mileMarker(['check'], folder)).out.replace(/\s+/g, ' ')).toContain(
      `is from ${new URL(authority.directory).host}, but the map says ${new URL(other.directory).host}.`,
    );
    expect((await mileMarker(['certs', 'renew'], folder)).out).toBe('certificate `log`: stored\n');
  } finally {
    await other.stop();
  }
  expect((await mileMarker(['check'], folder)).out).not.toContain('certificate');
  expect((await mileMarker(['certs', 'obtain'], folder)).err).toContain('Nothing is missing');
});

test('the record goes where an alias leads; a circle of aliases is told', async () => {
  const folder = siteWith({
    challenge: 'dns',
    more: 'certificates:\n  a: {names: alias.saltmarsh.example, from: acme}\n  r: {names: ring.saltmarsh.example, from: acme}\n',
    roads: '  alias: {to: ":9", gate: everyone}\n  ring: {to: ":9", gate: everyone}\n',
  });
  const asked = await mileMarker(['certs', 'obtain', 'a'], folder);
  expect([asked.code, asked.out.replace(/\s+/g, ' ')]).toEqual([
    3,
    expect.stringContaining('is an alias of there.saltmarsh.example, which is not a name for records of this kind'),
  ]);
  const alias = { from: '_acme-challenge.alias.saltmarsh.example', to: 'there.saltmarsh.example' };
  writeFileSync(join(folder, '.mile-marker', 'acme', 'aliases.json'), JSON.stringify([alias]));
  const { code, out, err } = await mileMarker(['certs', 'obtain'], folder);
  expect([code, out]).toEqual([3, expect.stringMatching(/^certificate `a`: stored\nr failed\n/)]);
  expect(err).toContain(
    '_acme-challenge.alias.saltmarsh.example is an alias; the record goes into there.saltmarsh.example',
  );
  expect(out.replace(/\s+/g, ' ')).toContain('form a loop');
});

test.each([
  [
    'a wrong key',
    { text: `key "marsh" { algorithm hmac-sha256; secret "${Buffer.from('wrong').toString('base64')}"; };` },
    'BADSIG',
  ],
  ['an unknown key', { text: `hmac-sha256:other:${key.secret}` }, 'BADKEY'],
  ['a file without a key', { text: 'nothing' }, 'contains no TSIG key'],
  ['a name server that does not answer', { server: '127.0.53.10' }, 'did not answer'],
])(
  '%s is told, and nothing is asked of the authority',
  async (_, { text, server }: { text?: string; server?: string }, words) => {
    const dns = server === undefined ? undefined : { dns: `dns: {server: ${server}, key: tsig.key}` };
    const folder = siteWith({ challenge: 'dns', roads: '  log: {to: ":9", gate: everyone}\n', ...dns });
    if (text !== undefined) writeFileSync(join(folder, 'tsig.key'), text);
    const { code, out } = await mileMarker(['certs', 'obtain', '--resolver', first], folder);
    expect([code, out.replace(/\s+/g, ' ')]).toEqual([3, expect.stringContaining(words)]);
    expect(out).not.toContain(key.secret);
  },
);

test('a name server that lags behind keeps the authority from being asked, and the record is taken away', async () => {
  const folder = siteWith({ challenge: 'dns', roads: '  log.lagging.example: {to: ":9", gate: everyone}\n' });
  const { code, out, err } = await mileMarker(['certs', 'obtain', '--wait', '2s'], folder);
  expect([code, out.replace(/\s+/g, ' ')]).toEqual([
    3,
    expect.stringContaining(`ns2.saltmarsh.example (${second}) does not have the TXT record`),
  ]);
  expect(err).toContain('waiting for ns2.saltmarsh.example');
  expect(txt('log.lagging.example')).toEqual([]);
  const timer = await mileMarker(['certs', 'renew'], folder);
  expect([timer.code, timer.err]).toEqual([0, expect.stringContaining('Nothing is due.')]);
});

test('a run that is killed leaves a record, which the next one takes away; Ctrl-C takes it away itself', async () => {
  const folder = siteWith({ challenge: 'dns', roads: '  log.lagging.example: {to: ":9", gate: everyone}\n' });
  const killed = launch(['certs', 'obtain', '--wait', '1m'], folder);
  await says(killed, 'waiting for ns2');
  await stop(killed, 'SIGKILL');
  expect(txt('log.lagging.example')).toHaveLength(1);
  const stopped = launch(['certs', 'obtain', '--wait', '1m'], folder);
  await says(stopped, 'waiting for ns2');
  expect(txt('log.lagging.example')).toHaveLength(1);
  expect(await stop(stopped, 'SIGINT')).toBe(130);
  expect(txt('log.lagging.example')).toEqual([]);
});

test('a program can publish the records, and gets each word by itself', async () => {
  const folder = siteWith({
    challenge: 'dns',
    dns: 'dns: {program: [./publish, --zone]}',
    roads: '  log: {to: ":9", gate: everyone}\n',
  });
  const update = `printf 'server ${first}\\nkey hmac-sha256:${key.name} ${key.secret}\\nzone saltmarsh.example.\\n%s %s. 60 TXT "%s"\\nsend\\n' "$2" "$3" "$5" | sed 's/^remove \\(.*\\) 60 TXT/del \\1 TXT/' | knsupdate`;
  writeFileSync(join(folder, 'publish'), `#!/bin/sh\n[ "$1" = --zone ] && [ "$#" = 5 ] || exit 9\n${update}\n`, {
    mode: 0o755,
  });
  const { code, out } = await mileMarker(['certs', 'obtain', '--resolver', first], folder);
  expect([code, out]).toEqual([0, 'certificate `saltmarsh.example`: stored\n']);
  expect(txt('log.saltmarsh.example')).toEqual([]);
});

test('Ctrl-C has the program take its record away too', async () => {
  const roads = '  log.lagging.example: {to: ":9", gate: everyone}\n';
  const folder = siteWith({ challenge: 'dns', dns: 'dns: {program: [./publish]}', roads });
  writeFileSync(join(folder, 'publish'), `#!/bin/sh\necho "$1" >> ${join(folder, 'asked')}\n`, { mode: 0o755 });
  const child = launch(['certs', 'obtain', '--resolver', first, '--wait', '1m'], folder);
  await says(child, 'waiting for');
  expect(await stop(child, 'SIGINT')).toBe(130);
  expect(readFileSync(join(folder, 'asked'), 'utf8')).toBe('add\nremove\n');
});

test('an authority out of reach is told at once', async () => {
  const folder = siteWith({ challenge: 'dns', roads: '  log: ":9"\n' });
  const map = join(folder, 'mile-marker.yaml');
  writeFileSync(map, readFileSync(map, 'utf8').replace(authority.directory, 'https://127.0.0.1:1/dir'));
  const { code, err } = await mileMarker(['certs', 'obtain'], folder);
  expect([code, err]).toEqual([3, expect.stringContaining('is not reachable: the connection was refused')]);
});

test('placeholders are refused before a public authority is asked', async () => {
  const folder = siteWith({ challenge: 'dns', roads: '  log: ":9"\n' });
  const file = join(folder, 'mile-marker.yaml');
  const text = readFileSync(file, 'utf8').replace(
    /^acme: .*$/m,
    'acme: {directory: production, contact: keeper@saltmarsh.example}',
  );
  writeFileSync(file, text);
  const contact = await mileMarker(['certs', 'obtain'], folder);
  expect([contact.code, contact.err]).toEqual([2, expect.stringContaining('is a placeholder')]);
  writeFileSync(file, text.replace(/, contact: [^}]*/, ''));
  const name = await mileMarker(['certs', 'obtain'], folder);
  expect([name.code, name.err]).toEqual([2, expect.stringContaining('is not a name of the public DNS')]);
});

/** The authority of Debian offers no renewal information, so a stub stands in for it here. */
test('the window that the authority suggests decides when a certificate is due', async () => {
  const folder = siteWith({ challenge: 'dns', roads: '  log: {to: ":9", gate: everyone}\n' });
  await mileMarker(['certs', 'obtain'], folder);
  const tls = join(folder, 'tls');
  makeCertificates(tls);
  let window = { start: '2000-01-01T00:00:00Z', end: '2000-01-02T00:00:00Z' };
  const asked: string[] = [];
  const stub = await listening(
    nodeHttps.createServer(
      { cert: readFileSync(join(tls, 'server.pem')), key: readFileSync(join(tls, 'server-key.pem')) },
      (request, answer) => {
        asked.push(request.url ?? '');
        answer.end(
          JSON.stringify(
            request.url === '/dir'
              ? { renewalInfo: `https://127.0.0.1:${String(portOf(stub))}/info` }
              : { suggestedWindow: window },
          ),
        );
      },
    ),
    0,
  );
  const map = join(folder, 'mile-marker.yaml');
  const text = readFileSync(map, 'utf8')
    .replace(authority.directory, `https://127.0.0.1:${String(portOf(stub))}/dir`)
    .replace('root.pem', 'tls/ca.pem');
  writeFileSync(map, text);
  // As if the stub had issued it: another authority would be reason enough to get it anew.
  const tries = join(folder, '.mile-marker/acme/journal.jsonl');
  const stubs = `127.0.0.1:${String(portOf(stub))}`;
  writeFileSync(tries, readFileSync(tries, 'utf8').replaceAll(new URL(authority.directory).host, stubs));
  const due = async (): Promise<string> => (await mileMarker(['certs', 'renew', '--dry-run'], folder)).out;
  expect(await due()).toBe('saltmarsh.example: due\n');
  expect(asked[1]).toMatch(/^\/info\/[\w-]+\.[\w-]+$/);
  window = { start: '2999-01-01T00:00:00Z', end: '2999-01-02T00:00:00Z' };
  expect(await due()).toBe('');
  stub.close();
});

test('an authority that wants its own account bound to ours gets it, and says so when it does not', async () => {
  const [api = 0, management = 0] = await freePorts(2);
  const secret = Buffer.from('thirty-two octets of external key').toString('base64url');
  const work = folderWith();
  const ports = [api, management, http] as const;
  const bound = await startAuthority({ folder: work, ports, nameServer: `${first}:53`, external: { 'kid-1': secret } });
  try {
    const folder = siteWith({ challenge: 'dns', roads: '  log: {to: ":9", gate: everyone}\n' });
    const map = join(folder, 'mile-marker.yaml');
    writeFileSync(join(folder, 'root.pem'), readFileSync(bound.root));
    const text = readFileSync(map, 'utf8').replace(authority.directory, bound.directory);
    writeFileSync(map, text);
    const without = await mileMarker(['certs', 'obtain'], folder);
    expect([without.code, without.err]).toEqual([3, expect.stringMatching(/refuses:.*externalAccountBinding/)]);
    writeFileSync(join(folder, 'external.key'), `${secret}\n`);
    const account = 'root: root.pem, external-account: {id: kid-1, key: external.key}';
    writeFileSync(map, text.replace('root: root.pem', account));
    const { code, out } = await mileMarker(['certs', 'obtain'], folder);
    expect([code, out]).toEqual([0, 'certificate `saltmarsh.example`: stored\n']);
  } finally {
    await bound.stop();
  }
});
