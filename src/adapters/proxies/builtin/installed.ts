import { spawn } from 'node:child_process';
import { open, readFile, rm } from 'node:fs/promises';
import { setTimeout as pause } from 'node:timers/promises';
import { join } from 'node:path';
import { giveOver, writeWhole } from '../../files/safe-write.ts';
import { statePaths } from '../../files/state-folder.ts';
import { ownProgram } from '../../host/own-program.ts';
import { startOf } from '../../host/process-id.ts';
import { reasonOf } from '../../trouble.ts';
import { serviceProcess, startService } from '../../host/service-unit.ts';
import type { InstalledProxy, Tried } from '../adapter.ts';

/**
 * The proxy that is part of this program, as it runs in the background: the process of its systemd unit where `install service` made one, else one
 * that was started here and whose number is kept in `.mile-marker/serve.json`. In place of the path of a program stands that of the map.
 */
export const installedBuiltin: InstalledProxy = {
  placeFor: () => Promise.resolve({ how: 'read' }),
  // Its files are a plan, which no other program has to accept.
  testWith: () => Promise.resolve({ passed: true, output: '' }),
  reload,
  start,
  stop,
};

async function reload(map: string): Promise<Tried & { stopped?: true }> {
  const pid = await running(map);
  if (pid === null) return { passed: false, output: 'it does not run', stopped: true };
  return told(pid, 'SIGUSR2');
}

/** It may have ended a moment ago, or be somebody else's. */
function told(pid: number, signal: NodeJS.Signals): Tried {
  try {
    process.kill(pid, signal);
    return { passed: true, output: '' };
  } catch (error) {
    return { passed: false, output: `process ${String(pid)} cannot be told: ${reasonOf(error)}` };
  }
}

async function running(map: string): Promise<number | null> {
  const ofService = await serviceProcess(map);
  if (ofService !== null) return ofService;
  const text = await readFile(pidFile(map), 'utf8').catch(() => null);
  if (text === null) return null;
  const kept = /^\{"pid":(\d+),"started":"(\d+)"\}$/.exec(text.trim());
  const pid = Number(kept?.[1]);
  return kept !== null && (await startOf(pid)) === kept[2] ? pid : null;
}

function pidFile(map: string): string {
  return join(statePaths(map).root, 'serve.json');
}

/** How long it may take until it listens, in tenths of a second. */
const startTenths = 100;

async function start(map: string): Promise<Tried> {
  const service = await startService(map);
  if (service !== null) return service;
  const log = join(statePaths(map).root, 'serve.log');
  const file = await open(log, 'w', 0o640);
  await giveOver(log);
  const [node = '', ...argv] = [...ownProgram(), 'serve', '--written', '--map', map];
  const child = spawn(node, argv, { detached: true, stdio: ['ignore', file.fd, file.fd], cwd: '/' });
  child.unref();
  await file.close();
  const { pid } = child;
  if (pid === undefined) return { passed: false, output: 'it cannot be started' };
  await writeWhole(pidFile(map), `${JSON.stringify({ pid, started: await startOf(pid) })}\n`);
  for (let left = startTenths; left > 0 && child.exitCode === null; left -= 1) {
    if ((await readFile(log, 'utf8')).includes('\nServing ')) return { passed: true, output: '' };
    await pause(100);
  }
  // Why, and what to do about it.
  const [, why, remedy] = /^mile-marker: (.*)(?:\n  do: (.*))?/m.exec(await readFile(log, 'utf8')) ?? [];
  const said = why === undefined ? null : [why, remedy ?? []].flat().join(' ');
  return { passed: false, output: said?.replace(/\.$/, '') ?? `it does not start; see ${log}` };
}

async function stop(map: string): Promise<Tried> {
  const pid = await running(map);
  if (pid === null) return { passed: true, output: '' };
  const started = await startOf(pid);
  const order = told(pid, 'SIGTERM');
  if (!order.passed) return order;
  for (let left = startTenths * 2; left > 0; left -= 1) {
    if ((await startOf(pid)) !== started) {
      await rm(pidFile(map), { force: true });
      return { passed: true, output: '' };
    }
    await pause(100);
  }
  return { passed: false, output: 'it does not stop' };
}
