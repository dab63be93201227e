import { existsSync, mkdirSync, readFileSync, readlinkSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { folderWith, launch, mileMarker, says, stop } from './support/program.ts';
import { practiceHead } from './support/site.ts';

/** Whatever changes the state of a map runs alone: a timer and a person may come at the same moment. */

async function site(): Promise<{ folder: string; lock: string }> {
  const { head } = await practiceHead();
  const folder = folderWith({ 'mile-marker.yaml': `${head}roads: {log: ":9"}\n` });
  mkdirSync(join(folder, '.mile-marker'));
  return { folder, lock: join(folder, '.mile-marker/lock') };
}

test('the second waits, says for whom, and goes on as soon as the first is done', async () => {
  const { folder, lock } = await site();
  // A process that runs, and is not about to end.
  const other = launch(['serve'], folder);
  await says(other, 'Serving');
  const stat = readFileSync(`/proc/${String(other.pid)}/stat`, 'latin1');
  const boot = readFileSync('/proc/sys/kernel/random/boot_id', 'latin1').trim();
  const holder = {
    pid: other.pid,
    started: stat.slice(stat.lastIndexOf(')') + 2).split(' ')[19],
    space: `${boot} ${readlinkSync('/proc/self/ns/pid')}`,
    command: 'mile-marker certs renew',
  };
  writeFileSync(lock, JSON.stringify(holder));
  const waiting = launch(['certs', 'make'], folder);
  await says(
    waiting,
    `Waiting: \`mile-marker certs renew\` (process ${String(other.pid)}) is changing the same files right now.`,
  );
  const over = new Promise<number | null>((resolve) => waiting.once('close', resolve));
  await stop(other, 'SIGTERM');
  // Its holder is gone, and with it what it held.
  expect(await over).toBe(0);
  expect(existsSync(lock)).toBe(false);
});

test.each([
  ['one that is gone', { pid: 4_000_000, started: '1', command: 'mile-marker write' }],
  ['another process with its number', { pid: process.pid, started: '1', command: 'mile-marker write' }],
  [
    'one of an earlier start of this machine',
    { pid: process.pid, started: '1', command: 'x', space: 'before pid:[1]' },
  ],
  ['nobody that can be read', 'gulls'],
  ['a power cut, before its bytes were on the disk,', ''],
])('what %s left is cleared away', async (_, left) => {
  const { folder, lock } = await site();
  const boot = readFileSync('/proc/sys/kernel/random/boot_id', 'latin1').trim();
  const space = `${boot} ${readlinkSync('/proc/self/ns/pid')}`;
  writeFileSync(lock, typeof left === 'string' ? left : JSON.stringify({ space, ...left }));
  const { code, err } = await mileMarker(['certs', 'make'], folder);
  expect([code, err.includes('Waiting')]).toEqual([0, false]);
  expect(existsSync(lock)).toBe(false);
});

test('what cannot be read is said, and not waited for', async () => {
  const { folder, lock } = await site();
  mkdirSync(lock);
  const { code, err } = await mileMarker(['certs', 'make'], folder);
  expect([code, err]).toEqual([3, expect.stringContaining('cannot be read or removed')]);
});

test('ten at one moment come one after the other, and leave one whole state', async () => {
  const { folder } = await site();
  const all = await Promise.all(Array.from({ length: 10 }, () => mileMarker(['write'], folder)));
  expect(all.map(({ code }) => code)).toEqual(Array.from({ length: 10 }, () => 0));
  expect(all.filter(({ err }) => err.includes('Nothing changed.'))).toHaveLength(9);
});
