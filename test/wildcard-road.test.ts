import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { startFront } from './support/fronts.ts';
import { folderWith, mileMarker } from './support/program.ts';
import { practiceHead } from './support/site.ts';

/** The road of all other names, as a person meets it from adding it to taking it away. */

test('added, explained, tested and taken away by the word `others`', async () => {
  const { head } = await practiceHead('builtin');
  const before = `${head}roads:\n  nestcam: {redirect: "https://www.example.org", gate: everyone}\n`;
  const folder = folderWith({ 'mile-marker.yaml': before });
  const file = join(folder, 'mile-marker.yaml');
  const said = async (...argv: string[]): Promise<string> => (await mileMarker(argv, folder)).out;
  await said('add', 'others', '--redirect', 'https://nestcam.saltmarsh.example', '--open');
  expect(readFileSync(file, 'utf8')).toBe(
    `${before}  others:\n    redirect: https://nestcam.saltmarsh.example\n    gate: everyone\n`,
  );

  const { roads } = JSON.parse(await said('roads', '--json')) as { roads: Array<{ name: string }> };
  expect(roads.map(({ name }) => name)).toEqual(['nestcam.saltmarsh.example', '*.saltmarsh.example']);
  expect(await said('dns', 'records', '--zone')).toMatch(/^\*\s+3600\s+CNAME\s+nestcam/m);
  expect(await said('explain', 'https://tern.saltmarsh.example/a?b')).toMatch(
    /tern\.saltmarsh\.example is one of the other names[^]*sends to https:\/\/nestcam\.saltmarsh\.example:\d+\/a\?b/,
  );
  expect(await said('explain', 'https://cam.tern.saltmarsh.example/')).toContain('no certificate is shown');

  const front = await startFront(folder, 'builtin');
  try {
    const ran = await mileMarker(['verify', 'others', '--json', '--at', '127.0.0.1'], folder);
    const { roads: tested, findings } = JSON.parse(ran.out) as {
      roads: Array<{ name: string; legs: Record<string, { outcome: string; says: string }> }>;
      findings: Array<{ rule: string; roads: string[] }>;
    };
    expect(findings.map(({ rule, roads: of }) => [rule, ...of])).toEqual([]);
    expect(tested.map(({ name, legs }) => [name, legs['tls']?.outcome, legs['redirect']?.outcome])).toEqual([
      ['*.saltmarsh.example', 'ok', 'ok'],
    ]);
  } finally {
    await front.stop();
  }

  await said('pause', 'others');
  expect(await said('roads')).toContain('everyone, paused');
  await said('remove', 'others');
  expect(readFileSync(file, 'utf8')).toBe(before);
});

test('what cannot be meant: a circle through all other names, and a certificate that does not cover them', async () => {
  const head = 'domains: [saltmarsh.example]\nfront: {address: 203.0.113.24}\n';
  const folder = folderWith({ 'mile-marker.yaml': '' });
  const found = async (rest: string): Promise<string[]> => {
    writeFileSync(join(folder, 'mile-marker.yaml'), `${head}${rest}`);
    const { out } = await mileMarker(['check', '--json'], folder);
    const { findings } = JSON.parse(out) as { findings: Array<{ rule: string; severity: string; roads: string[] }> };
    return findings.flatMap(({ rule, severity, roads }) =>
      severity === 'error' && rule !== 'no-certificate' ? [`${rule} ${roads.join()}`] : [],
    );
  };
  expect(await found('roads:\n  others: {redirect: "https://hide.saltmarsh.example"}\n')).toEqual([
    'redirect-to-itself *.saltmarsh.example',
  ]);
  expect(
    await found(
      'roads:\n  nestcam: {redirect: "https://hide.saltmarsh.example"}\n  others: {redirect: "https://nestcam.saltmarsh.example"}\n',
    ),
  ).toEqual(['redirect-circle nestcam.saltmarsh.example,*.saltmarsh.example']);
  expect(
    await found('certificates: {bare: {names: saltmarsh.example}}\nroads:\n  others: {to: ":9", certificate: bare}\n'),
  ).toEqual(['certificate-not-for-road *.saltmarsh.example']);
});
