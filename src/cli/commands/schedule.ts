import { collect, Command, mapOption, type CommandContext } from './context.ts';

export interface ScheduleOptions {
  map?: string;
  out?: string;
  then?: string[];
}

export function schedule(context: CommandContext): Command {
  return new Command('schedule')
    .description('print a systemd timer and a cron line that renew certificates when they are due')
    .option('--out <folder>', 'write the systemd files there instead, such as /etc/systemd/system')
    .option(
      '--then <word>',
      'a program to run when something is new, without a shell; again for each of its arguments',
      collect,
    )
    .addOption(mapOption())
    .action(async (options: ScheduleOptions) => {
      const { runSchedule } = await import('../run/schedule.ts');
      await runSchedule(options, context);
    });
}
