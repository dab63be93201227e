import { join, resolve } from 'node:path';
import { Trouble } from '../../../adapters/trouble.ts';
import { writeTrouble, writeWhole } from '../../../adapters/files/safe-write.ts';
import { jobCronLine, jobUnits, type JobName } from '../../../core/schedule.ts';
import { timerInput, type TimerWishes } from '../../../use-cases/live/units.ts';
import type { CommandContext } from '../../io.ts';
import { openSite } from '../../open-site.ts';

export interface ScheduleOptions {
  map?: string;
  out?: string;
  then?: string[];
  notify?: string[];
  mail?: string;
  login?: string;
  trust?: string[];
}

export async function runSchedule(job: JobName, options: ScheduleOptions, context: CommandContext): Promise<void> {
  const { map, out } = options;
  refuseUnused(job, options);
  const { io } = context;
  const site = await openSite(map === undefined ? {} : { map }, context, 'schedule');
  if (site === null) return;
  const input = await timerInput(job, site, wishesOf(options, job, io.cwd));
  const files = jobUnits(job, input);
  if (out !== undefined) {
    for (const { path, content } of files) {
      const file = join(resolve(io.cwd, out), path);
      await writeWhole(file, content).catch((cause: unknown) => {
        throw writeTrouble(file, cause);
      });
      io.out(`written ${file}\n`);
    }
    io.err(`next: systemctl daemon-reload && systemctl enable --now mile-marker-${job}.timer\n`);
    return;
  }
  for (const { path, content } of files) io.out(`# ${path}\n${content}\n`);
  io.out(`# or one line for crontab -e\n${jobCronLine(job, input)}\n`);
  io.err(`next: mile-marker schedule ${job} --out /etc/systemd/system\n`);
}

/** What a person wants of the timers. For `verify`, `--then` is what is run when a night brings news. */
export function wishesOf(
  { then = [], notify = [], mail, login, trust = [] }: Omit<ScheduleOptions, 'map' | 'out'>,
  job: JobName | null,
  cwd: string,
): TimerWishes {
  return {
    then,
    notify: job === 'verify' && notify.length === 0 ? then : notify,
    ...(mail === undefined ? {} : { mail }),
    ...(login === undefined ? {} : { login: resolve(cwd, login) }),
    trust: trust.map((file) => resolve(cwd, file)),
  };
}

/** What a job does not use is refused: somebody counts on it. @throws Trouble `then-for-renew` */
function refuseUnused(job: JobName, { then, notify, mail, login, trust }: ScheduleOptions): void {
  const ofVerify = Object.entries({ notify, mail, login, trust }).find(([, value]) => value !== undefined)?.[0];
  const unused = job === 'address' && then !== undefined ? 'then' : job === 'verify' ? undefined : ofVerify;
  if (unused === undefined) return;
  const works = unused === 'then' ? 'the timers for renewals and for verify' : 'the timer for verify';
  throw new Trouble({
    code: 'then-for-renew',
    message: `--${unused} works with ${works}, not with ${job}.`,
    remedy: 'Leave it out.',
    exitCode: 2,
  });
}
