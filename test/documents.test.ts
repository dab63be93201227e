import { schemaNames } from './support/documents.ts';
import { folderWith, mileMarker } from './support/program.ts';
import { practiceHead } from './support/site.ts';

/** Every document that a command writes fits its schema (`mileMarker` holds each against it), and each schema is met. */

/** Those that need a name server or an authority are met where these are. */
const elsewhere = ['certs-obtain', 'certs-renew', 'dns-check', 'dns-publish', 'dns-undo', 'dns-update-address'];

test('each command with --json, on a sound map and on one that cannot be read', async () => {
  const { head } = await practiceHead();
  const folder = folderWith({
    'mile-marker.yaml': `${head}gates: {wardens: {people: people/wardens, networks: 127.0.0.0/8, need: any}, in: {asks: ":8/check", tell: Remote-User}}\nroads:\n  log: {to: ":9", gate: wardens, rate: 20/s, cors: {origins: [https://a.example]}}\n  www: {folder: ./site, gate: everyone, expect: {path: /}}\n  old: {redirect: "https://www.example.org", gate: everyone, paths: {/x: ":9"}}\n  shed: ":9"\n  desk: {to: ":9", gate: in}\nports: {8883/tcp: {to: ":9", tls: true, name: log.saltmarsh.example}}\n`,
    'site/index.html': 'the marsh',
    'broken/mile-marker.yaml': 'domains: [saltmarsh.example]\nroads: {log: 9}\n',
  });
  await mileMarker(['people', 'add', 'edda', '--generate'], folder);
  await mileMarker(['devices', 'add', 'phone', '--gate', 'keepers'], folder);
  // So that somebody comes with a device.
  await mileMarker(['set', 'desk', 'gate', 'keepers'], folder);
  const pair = '.mile-marker/certificates/log.saltmarsh.example/current';
  const met = new Set<string>();
  for (const line of [
    'certs make',
    'check',
    'roads',
    'set log notes low-tide',
    'set log gate nobody',
    'explain https://log.saltmarsh.example/',
    'explain http://other.saltmarsh.example/',
    'explain https://www.saltmarsh.example/',
    'explain https://old.saltmarsh.example/',
    'explain shed',
    'explain desk',
    'explain --all',
    'explain 8883/tcp',
    'people list',
    'devices list',
    'survey',
    'survey --add --yes',
    'survey --ports',
    'survey --free',
    'certs',
    `certs export log.saltmarsh.example --to copy.pem`,
    `certs import ${pair}/certificate.pem ${pair}/key.pem --as log.saltmarsh.example`,
    'certs renew --dry-run',
    'dns records',
    'write',
    'write --dry-run',
    'editions',
    'rehearse --on-loopback',
    'install timers --dry-run',
    'verify --at 127.0.0.1',
    'verify --links',
    'check --map broken/mile-marker.yaml',
    'survey --map broken/mile-marker.yaml',
    'verify --map broken/mile-marker.yaml',
    'write --map broken/mile-marker.yaml',
    'install --map broken/mile-marker.yaml',
  ]) {
    const { out } = await mileMarker([...line.split(' '), '--json'], folder);
    expect([line, out]).toEqual([line, expect.stringMatching(/^\{/)]);
    met.add((JSON.parse(out) as { format: string }).format.replace('mile-marker-', ''));
  }
  expect([...new Set([...met, ...elsewhere])].sort()).toEqual(schemaNames().sort());
});
