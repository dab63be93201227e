import { join, resolve } from 'node:path';
import { findMap } from '../../adapters/files/find-map.ts';
import { ownProgram } from '../../adapters/host/own-program.ts';
import { Trouble } from '../../adapters/trouble.ts';
import { writeTrouble, writeWhole } from '../../adapters/files/safe-write.ts';
import { jobCronLine, jobUnits, type JobName } from '../../core/schedule.ts';
import type { CommandContext } from '../io.ts';

export interface ScheduleOptions {
  map?: string;
  out?: string;
  then?: string[];
}

export async function runSchedule(
  job: JobName,
  { map, out, then = [] }: ScheduleOptions,
  { io }: CommandContext,
): Promise<void> {
  if (job === 'address' && then.length > 0) {
    throw new Trouble({
      code: 'then-for-renew',
      message: `--then works with the timers for renewals and for verify, not with ${job}.`,
      remedy: 'Leave it out.',
      exitCode: 2,
    });
  }
  const mapFile = await findMap({ option: map, cwd: io.cwd, env: io.env });
  const input = { program: ownProgram(), mapFile, then };
  const files = jobUnits(job, input);
  io.err(`map: ${mapFile}\n`);
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
