import { join, resolve } from 'node:path';
import { Trouble } from '../../adapters/trouble.ts';
import { writeTrouble, writeWhole } from '../../adapters/files/safe-write.ts';
import { jobCronLine, jobUnits, type JobName } from '../../core/schedule.ts';
import { timerInput } from '../../use-cases/live/units.ts';
import type { CommandContext } from '../io.ts';
import { openSite } from '../open-site.ts';

export interface ScheduleOptions {
  map?: string;
  out?: string;
  then?: string[];
}

export async function runSchedule(
  job: JobName,
  { map, out, then = [] }: ScheduleOptions,
  context: CommandContext,
): Promise<void> {
  if (job === 'address' && then.length > 0) {
    throw new Trouble({
      code: 'then-for-renew',
      message: `--then works with the timers for renewals and for verify, not with ${job}.`,
      remedy: 'Leave it out.',
      exitCode: 2,
    });
  }
  const { io } = context;
  const site = await openSite(map === undefined ? {} : { map }, context, 'schedule');
  if (site === null) return;
  const input = await timerInput(job, site, then);
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
