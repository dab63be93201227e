import { spawn } from 'node:child_process';
import { open, readFile } from 'node:fs/promises';
import { setTimeout as pause } from 'node:timers/promises';
import { join } from 'node:path';
import { giveOver } from '../../files/safe-write.ts';
import { statePaths } from '../../files/state-folder.ts';
import { ownProgram } from '../../host/own-program.ts';
import { serviceProcess, startService } from '../../host/service-unit.ts';
import { reasonOf } from '../../trouble.ts';
import type { InstalledProxy, Place, Tried } from '../adapter.ts';
import { endProcess } from '../end-process.ts';
import { foregroundProcess, servingProcess } from './serving.ts';

/**
 * The proxy that is part of this program, as it runs in the background, whoever started it: systemd by its unit, `install`, crontab(5), or a person. In place
 * of the path of a program stands that of the map.
 */
export const installedBuiltin: InstalledProxy = {
  placeFor,
  // Its files are a plan, which no other program has to accept.
  testWith: () => Promise.resolve({ passed: true, output: '' }),
  reload,
  start,
  isOwn: true,
  runs: async (map) => (await servingProcess(map)) !== null,
  stop: async (map) => endProcess(await servingProcess(map), 'SIGTERM'),
  leave,
};

async function placeFor(map: string): Promise<Place> {
  const pid = await foregroundProcess(map);
  if (pid === null) return { how: 'read' };
  const why = `\`mile-marker serve\` (process ${String(pid)}) serves this map in the foreground and does not reload`;
  return { how: 'first', why, steps: `end it with Ctrl-C, or: kill ${String(pid)}` };
}

async function reload(map: string): Promise<Tried & { stopped?: true }> {
  const pid = await servingProcess(map);
  if (pid === null) return { passed: false, output: 'it does not run', stopped: true };
  return told(pid, 'SIGUSR2');
}

/** It listens no more from then on, and goes on answering what it has begun while another one starts; that of a unit is waited for. */
async function leave(map: string): Promise<Tried> {
  const pid = await servingProcess(map);
  if (pid === null || pid === (await serviceProcess(map))) return installedBuiltin.stop(map);
  return told(pid, 'SIGTERM');
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
  if (child.pid === undefined) return { passed: false, output: 'it cannot be started' };
  for (let left = startTenths; left > 0 && child.exitCode === null; left -= 1) {
    if ((await readFile(log, 'utf8')).includes('\nServing ')) return { passed: true, output: '' };
    await pause(100);
  }
  // Why, and what to do about it.
  const [, why, remedy] = /^mile-marker: (.*)(?:\n  do: (.*))?/m.exec(await readFile(log, 'utf8')) ?? [];
  const said = why === undefined ? null : [why, remedy ?? []].flat().join(' ');
  return { passed: false, output: said?.replace(/\.$/, '') ?? `it does not start; see ${log}` };
}
