import { folderWith, mileMarker } from './support/program.ts';
import { practiceHead } from './support/site.ts';

const place = async (roads: string, more = ''): Promise<string> => {
  const { head } = await practiceHead('nginx');
  const folder = folderWith({ 'mile-marker.yaml': `${head}${more}roads:\n${roads}` });
  expect((await mileMarker(['write'], folder)).code).toBe(0);
  return folder;
};

interface Moving {
  from: string;
  to: string;
  noticed: Array<{ id: string }>;
  odd: number;
  played: number;
  otherwise: Array<{ what: string; before: string; after: string }>;
}

const movingTo = async (folder: string, proxy: string): Promise<Moving | null> => {
  const { out } = await mileMarker(['write', '--proxy', proxy, '--dry-run', '--json'], folder);
  return (JSON.parse(out) as { moving: Moving | null }).moving;
};

test('moving to another proxy says what of this very map changes, in words and as data; nothing is written', async () => {
  const folder = await place(
    '  log: {to: ":9", gate: everyone, body-limit: 1MiB}\n  moved: {redirect: "https://www.example.org", gate: everyone}\n',
  );
  const { code, err } = await mileMarker(['write', '--proxy', 'httpd', '--diff'], folder);
  expect([code, err]).toEqual([
    0,
    expect.stringMatching(/from nginx to httpd, this changes:\n[^]*a name that the map does not have[^]*Then|then 421/),
  ]);
  const moving = await movingTo(folder, 'httpd');
  expect(moving).toMatchObject({ from: 'nginx', to: 'httpd' });
  const ids = moving?.noticed.map(({ id }) => id) ?? [];
  expect(ids).toEqual(expect.arrayContaining(['strangers', 'unannounced-body', 'server']));
  // What the map does not use changes nothing for it.
  for (const unused of ['rate', 'logs', 'folders', 'people', 'names']) expect(ids).not.toContain(unused);
  expect(moving?.otherwise).toContainEqual(
    expect.objectContaining({ what: 'http: unknown name, from the internet', before: 'closed', after: '421' }),
  );
  expect((moving?.played ?? 0) > (moving?.otherwise.length ?? 0)).toBe(true);
  expect(await movingTo(folder, 'nginx')).toBeNull();
});

test('what the other proxy cannot do is an error before anything of it is written', async () => {
  const folder = await place('  log: {to: ":9", gate: everyone, rate: 5/s}\n');
  expect((await movingTo(folder, 'haproxy'))?.noticed.map(({ id }) => id)).toContain('rate');
  const { code, out } = await mileMarker(['write', '--proxy', 'httpd', '--diff'], folder);
  expect([code, out]).toEqual([1, expect.stringContaining('proxy-cannot')]);
});
