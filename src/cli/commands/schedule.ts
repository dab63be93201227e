import { Argument } from 'commander';
import { jobNames, type JobName } from '../../core/schedule.ts';
import { collect, Command, mapOption, type CommandContext } from './context.ts';

export interface ScheduleOptions {
  map?: string;
  out?: string;
  then?: string[];
}

export function schedule(context: CommandContext): Command {
  return new Command('schedule')
    .description(
      'print a systemd timer and a cron line: to renew certificates when they are due, to follow a changing address, or to verify every night',
    )
    .addArgument(new Argument('[job]', 'what is to be done').choices(jobNames).default('renew'))
    .option('--out <folder>', 'write the systemd files there instead, such as /etc/systemd/system')
    .option(
      '--then <word>',
      'a program to run when something is new, without a shell; again for each of its arguments',
      collect,
    )
    .addOption(mapOption())
    .action(async (job: JobName, options: ScheduleOptions) => {
      const { runSchedule } = await import('../run/schedule.ts');
      await runSchedule(job, options, context);
    });
}
