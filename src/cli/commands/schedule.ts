import { Argument } from 'commander';
import { jobNames, type JobName } from '../../core/schedule.ts';
import { collect, Command, mapOption, nightLogin, nightMailTo, nightNotify, nightTrust } from './common-options.ts';
import type { ScheduleOptions } from '../run/live/schedule.ts';
import type { CommandContext } from '../io.ts';

export function schedule(context: CommandContext): Command {
  return new Command('schedule')
    .description(
      'print a systemd timer and a cron line to renew certificates, update the address, or verify every night',
    )
    .addArgument(new Argument('[job]', 'which task').choices(jobNames).default('renew'))
    .option('--out <folder>', 'write the systemd files to this folder, such as /etc/systemd/system')
    .option(
      '--then <word>',
      'program to run when something has changed, without a shell; repeat the option for each argument',
      collect,
    )
    .addOption(nightNotify('verify: '))
    .addOption(nightMailTo('verify: '))
    .addOption(nightLogin('verify: '))
    .addOption(nightTrust('verify: '))
    .addOption(mapOption())
    .action(async (job: JobName, options: ScheduleOptions) => {
      const { runSchedule } = await import('../run/live/schedule.ts');
      await runSchedule(job, options, context);
    });
}
