import { chmodSync, readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { folderWith, launch, mileMarker, stop, ended } from './support/program.ts';

const told = ['service-down', 'redirect-shows-inside', 'dns-missing', 'certificate-practice'];
/** What people run on most evenings. */
const shortOnes = [
  ...['roads', 'roads --tree', 'explain roster', 'explain --all', 'check', 'certs', 'dns records'],
  ...['verify --links', 'rehearse', 'rehearse --all', 'editions', 'people list', 'install --dry-run'],
];
const ends = 'Verify found just these.';

test('with nginx it finds just the troubles that it has, and leaves nothing behind', async () => {
  const folder = folderWith();
  // Where nginx answers challenges as another user than root, who must get through.
  chmodSync(folder, 0o755);
  // The program looks for temporary folders there, so that what it leaves can be seen.
  const { code, out, err } = await mileMarker(['demo', '--proxy', 'nginx'], folder, { TMPDIR: folder });
  expect([code, err]).toEqual([0, '']);
  for (const words of [...told, ends]) expect(out).toContain(words);
  expect(readdirSync(folder)).toEqual([]);
});

test('with builtin the same; --keep runs until Ctrl-C, then stops and removes everything', async () => {
  const folder = folderWith();
  const child = launch(['demo', '--keep'], folder, { TMPDIR: folder });
  const over = ended(child);
  await new Promise<void>((resolve) => {
    child.stdout.on('data', (text: string) => {
      if (text.includes('until Ctrl-C')) resolve();
    });
  });
  const [made = ''] = readdirSync(folder);
  // Who looks around may bring more editions live; the front ends with the demo all the same.
  const lab = join(folder, made);
  expect((await mileMarker(['pause', 'nestcam'], lab)).err).toContain('is live');
  // What went well fits a terminal of 24 lines, with eight roads.
  for (const command of shortOnes) {
    const { code: judged, out: shown, err: told } = await mileMarker(command.split(' '), lab);
    const lines = (shown + told).split('\n');
    expect([
      command,
      judged,
      lines.length <= 25 || lines,
      lines.filter((line) => line.length > 80 && !/^ *https?:\S+$/.test(line)),
    ]).toEqual([command, 0, true, []]);
  }
  const { pid } = JSON.parse(readFileSync(join(folder, made, '.mile-marker/serve.json'), 'utf8')) as { pid: number };
  await stop(child);
  const { code, out, err } = await over;
  expect([code, err]).toEqual([130, '']);
  for (const words of [...told, ends, 'hut.reedbed.example is still at 203.0.113.24']) expect(out).toContain(words);
  expect(() => process.kill(pid, 0)).toThrow('ESRCH');
  expect(readdirSync(folder)).toEqual([]);
});

test('Ctrl-C in the middle leaves nothing behind either', async () => {
  const folder = folderWith();
  const child = launch(['demo'], folder, { TMPDIR: folder });
  const over = ended(child);
  await new Promise<void>((resolve) => {
    child.stdout.on('data', (text: string) => {
      if (text.includes('certs make')) resolve();
    });
  });
  await stop(child);
  expect((await over).code).toBe(130);
  expect(readdirSync(folder)).toEqual([]);
});
