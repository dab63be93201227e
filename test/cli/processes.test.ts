import { mkdirSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { ended, folderWith, launch, mileMarkerProcess, says, stop } from '../support/program.ts';
import { practiceHead } from '../support/site.ts';

/** Each command once in a process of its own, in the order in which somebody uses them: exit code, and what stands on stdout and stderr. */

let folder = '';
beforeAll(async () => {
  const { head } = await practiceHead();
  folder = folderWith({
    'mile-marker.yaml': `${head}gates: {wardens: {people: people/wardens.htpasswd}}\nroads:\n  log: {to: ":9", gate: wardens}\n`,
  });
});

test.each<[string, number, RegExp, RegExp]>([
  ['--version', 0, /^1\.0\.0\n$/, /^$/],
  ['--help', 0, /^Usage: mile-marker/, /^$/],
  ['add tides :9 --open', 0, /^$|tides/, /next: /],
  ['set tides gate home', 0, /now says gate: home/, /next: /],
  ['pause tides', 0, /^$|tides/, /next: /],
  ['resume tides', 0, /^$|tides/, /next: /],
  ['remove tides', 0, /^$|tides/, /next: /],
  ['roads', 0, /log\.saltmarsh\.example/, /next: /],
  ['people add wren --gate wardens --generate', 0, /^\S.*\n$/, /wren/],
  ['people list', 0, /wren/, /./],
  ['certs make', 0, /^$|log/, /./],
  ['certs list', 0, /log\.saltmarsh\.example/, /./],
  ['certs renew', 0, /^$|./, /./],
  ['check --json', 0, /"format": ?"mile-marker-/, /^$|./],
  ['survey', 0, /./, /./],
  ['explain https://log.saltmarsh.example/', 0, /log\.saltmarsh\.example/, /./],
  ['dns records', 0, /log\.saltmarsh\.example/, /./],
  ['schedule verify', 0, /OnCalendar|\[Timer\]/, /./],
  ['write', 0, /mark\.txt|plan\.json/, /Edition 0001/],
  ['verify --at 127.0.0.1', 1, /log\.saltmarsh\.example/, /next: /],
  ['undo', 2, /^$/, /Undo what\?/],
  ['install firewal', 2, /^$/, /firewall/],
  ['chekc', 2, /^$/, /check/],
])('%s', async (words, code, out, err) => {
  const ran = await mileMarkerProcess(words.split(' '), folder);
  expect([ran.code, ran.out, ran.err]).toEqual([code, expect.stringMatching(out), expect.stringMatching(err)]);
});

test('serve runs until a signal, and ends well', async () => {
  const child = launch(['serve'], folder);
  await says(child, 'Serving');
  // What the front runs needs nothing more done.
  const checked = await mileMarkerProcess(['check'], folder);
  expect([checked.code, checked.err]).toEqual([
    0,
    expect.stringMatching(/The front runs this map|Nothing needs doing/i),
  ]);
  expect(await stop(child, 'SIGTERM')).toBe(0);
});

test('Ctrl-C is heard in the midst of a computation', async () => {
  const many = Array.from({ length: 2500 }, (_, index) => `  r${String(index)}: ":${String(1000 + index)}"`);
  const large = folderWith({
    'mile-marker.yaml': `domains: [saltmarsh.example]\nfront: {address: 127.0.0.1}\nengine: none\nroads:\n${many.join('\n')}\n`,
  });
  // From another folder it says at once which map it found.
  mkdirSync(join(large, 'beside'));
  const child = launch(['check'], join(large, 'beside'));
  await says(child, 'map: ');
  const over = ended(child);
  child.kill('SIGINT');
  const { code, out } = await over;
  expect([code, out]).toEqual([null, '']);
});

test('init in an empty folder', async () => {
  rmSync(`${folder}/mile-marker.yaml`);
  const ran = await ended(launch(['init', '--domain', 'saltmarsh.example', '--address', '127.0.0.1'], folder));
  expect([ran.code, ran.err]).toEqual([0, expect.stringContaining('next: ')]);
});
