import { stat } from 'node:fs/promises';
import { dirname } from 'node:path';
import { readExports } from '../../adapters/certificates/exports.ts';
import { engineAddress } from '../../adapters/engine/address.ts';
import { stateOwner } from '../../adapters/files/state-folder.ts';
import { ownProgram } from '../../adapters/host/own-program.ts';
import { readUnit } from '../../adapters/host/units.ts';
import { Trouble } from '../../adapters/trouble.ts';
import { followNames, followUnits } from '../../core/live/follow-units.ts';
import { serviceName, serviceUnit } from '../../core/live/service-unit.ts';
import type { Plan } from '../../core/plan/plan.ts';
import { programOf } from '../../core/proxies/programs.ts';
import { jobCronLine, jobNames, jobUnits, type JobName, type ScheduledFile } from '../../core/schedule.ts';
import { cronAtBoot, unitWord } from '../../core/unit-words.ts';
import { assertInstalled } from '../follow/kept-front.ts';
import type { Site } from '../map/load.ts';

/** What systemd is to start by itself: the builtin front, what keeps a front up to date, or the timers. */
export type UnitPart = 'service' | 'follow' | 'timers';

/** @property enable those that start with the machine @property instead lines for crontab(5), for a machine without systemd */
export interface WantedUnits {
  units: ScheduledFile[];
  enable: string[];
  instead: string[];
}

/** @throws Trouble `service-other-proxy` where another program serves, which has a unit of its own */
export async function wantedUnits(part: UnitPart, site: Site, wishes: TimerWishes = {}): Promise<WantedUnits> {
  const wanted = { follow: wantedFollow, service: wantedService, timers: wantedTimers }[part];
  return wanted(site, wishes);
}

async function wantedService({ plan, paths, mapFile }: Site): Promise<WantedUnits> {
  const { front } = plan;
  const { words, title, units } = programOf(front.proxy);
  if (front.proxy !== 'builtin' || front.container !== null) {
    const how = front.container === null ? words.atBoot(mapFile) : 'give its container `restart: unless-stopped`';
    throw new Trouble({
      code: 'service-other-proxy',
      message: `${title} serves this map, and is started by ${front.container === null ? `its own unit, ${units.join(' or ')}` : 'the container engine'}.`,
      remedy: `To start it at boot: ${how}`,
      exitCode: 2,
    });
  }
  const program = ownProgram();
  const content = serviceUnit({
    ...{ program, map: mapFile, owner: await stateOwner(paths), state: paths.root, logs: logFolders(plan) },
    ports: [front.listen.http, front.listen.https, ...plan.ports.map(({ port }) => port)],
  });
  return {
    units: [{ path: serviceName, content }],
    enable: [serviceName],
    instead: [cronAtBoot([...program, 'serve', '--written', '--map', mapFile])],
  };
}

/** @throws Trouble `follow-not-installed` where the proxy runs nothing of this map yet */
async function wantedFollow(site: Site): Promise<WantedUnits> {
  const { plan, paths, mapFile, map } = site;
  await assertInstalled(site);
  const { proxy, container } = plan.front;
  const program = ownProgram();
  const owner = await stateOwner(paths);
  const engine = engineAddress(map.engine?.address ?? null, process.env);
  const socket = engine?.kind === 'socket' ? await stat(engine.path).catch(() => null) : null;
  const units = followUnits({
    ...{ program, map: mapFile, owner, state: paths.root },
    socketGroup: socket === null || socket.gid === 0 ? null : socket.gid,
    front: container !== null ? 'by-engine' : proxy === 'builtin' ? 'as-owner' : 'as-root',
    write: ['-/run', '-/var/log', '-/var/lib', ...logFolders(plan)],
  });
  return {
    units,
    enable: units.map(({ path }) => path),
    instead: [cronAtBoot([...program, 'follow', '--map', mapFile])],
  };
}

/** The jobs that have something to do on this map. */
async function wantedTimers(site: Site, wishes: TimerWishes): Promise<WantedUnits> {
  const { plan, map, mapFile } = site;
  // What somebody else puts where the map says is taken over by the same timer.
  const renews = plan.certificates.some(({ from, files }) => from !== 'files' || files !== null);
  const jobs = jobNames.filter((job) =>
    job === 'renew' ? renews : job === 'address' ? map.dns.addressFrom !== null : true,
  );
  const inputs = await Promise.all(jobs.map(async (job) => ({ job, input: await timerInput(job, site, wishes) })));
  return {
    units: inputs.flatMap(({ job, input }) => jobUnits(job, input)),
    enable: jobs.map((job) => `mile-marker-${job}.timer`),
    instead: inputs.map(({ job, input }) => jobCronLine(job, { ...input, mapFile })),
  };
}

/**
 * What a person wants of timers beside their job.
 *
 * @property then words of a program that is run after a renewal @property notify the same when a night brings news @property mail who is written to then
 * @property login absolute path of a test login @property trust the same of authorities that are trusted, too
 */
export interface TimerWishes {
  then?: readonly string[];
  notify?: readonly string[];
  mail?: string;
  login?: string;
  trust?: readonly string[];
}

function wordsFor(job: JobName, { then = [], notify = [], mail, login, trust = [] }: TimerWishes): string[] {
  const each = (option: string, words: readonly string[]): string[] => words.flatMap((word) => [option, word]);
  if (job === 'renew') return each('--then', then);
  if (job !== 'verify') return [];
  return [
    ...each('--notify', notify),
    ...each('--mail', mail === undefined ? [] : [mail]),
    ...each('--login', login === undefined ? [] : [login]),
    ...each('--trust', trust),
  ];
}

export async function timerInput(
  job: JobName,
  { plan, paths, map, mapFile }: Site,
  wishes: TimerWishes = {},
): Promise<Parameters<typeof jobUnits>[1]> {
  const { front, certificates } = plan;
  const owner = await stateOwner(paths);
  const exports = job === 'renew' ? (await Promise.all(certificates.map(readExports))).flat() : [];
  const shared = { program: ownProgram(), mapFile, more: wordsFor(job, wishes) };
  const then = job === 'renew' ? (wishes.then ?? []) : job === 'verify' ? (wishes.notify ?? []) : [];
  const runsOthers = map.dns.program !== null || map.dns.addressFrom?.kind === 'program';
  // A server that is tested and reloaded opens its logs, and another process is told.
  const reloads = job === 'renew' && !programOf(front.proxy).limits.readsCertificatesAnew;
  // Such a program may need anything: one to run afterwards mostly the rights of root, to restart a service; one that
  // finds or publishes an address those of whoever wrote it into the map.
  if (exports.some((one) => one.then.length > 0) || then.length > 0) return { ...shared, owner: null, write: null };
  // What delivers mail has rights of its own, which a sandbox would take away.
  if (job === 'verify' && wishes.mail !== undefined) return { ...shared, owner, write: null };
  if (job !== 'verify' && runsOthers) return { ...shared, owner: reloads ? null : owner, write: null };
  const write = [
    paths.root,
    ...exports.flatMap(({ to, key }) => [dirname(to), ...(key === null ? [] : [dirname(key)])]),
    ...(reloads ? ['-/run', '-/var/log', '-/var/lib', ...logFolders(plan)] : []),
  ];
  return { ...shared, write: [...new Set(write)], owner: reloads ? null : owner };
}

function logFolders({ roads }: Plan): string[] {
  const files = roads.flatMap(({ rules }) => (typeof rules.log === 'string' ? [rules.log] : []));
  return [...new Set(files.map((file) => dirname(file)))];
}

/** Those that differ from what is there. @throws Trouble `unit-not-ours` where one of this name serves another map, or was made by somebody else */
export async function changedUnits({ units }: WantedUnits, mapFile: string): Promise<ScheduledFile[]> {
  const changed: ScheduledFile[] = [];
  for (const unit of units) {
    const there = await readUnit(unit.path);
    if (there === unit.content) continue;
    if (there !== null && unit.path.endsWith('.service') && !there.includes(unitWord(mapFile)))
      throw new Trouble({
        code: 'unit-not-ours',
        message: `systemd has a unit ${unit.path} already, and it is not for this map.`,
        remedy: `Look at it: systemctl cat ${unit.path}. To use this map instead: rename or remove that unit, then run this again.`,
        exitCode: 2,
      });
    changed.push(unit);
  }
  return changed;
}

/** Names of all that `install` may have made for a part, those that systemd starts first. */
export function unitNames(part: UnitPart): string[] {
  if (part === 'service') return [serviceName];
  if (part === 'follow') return Object.values(followNames);
  return jobNames.flatMap((job) => [`mile-marker-${job}.timer`, `mile-marker-${job}.service`]);
}
