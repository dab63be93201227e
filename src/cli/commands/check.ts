import type { Severity } from '../../core/findings/finding.ts';
import { Command, failOnOption, jsonOption, mapOption } from './common-options.ts';
import type { CommandContext } from '../io.ts';

interface Options {
  map?: string;
  json?: boolean;
  failOn: Severity;
  installed?: boolean;
}

export function check(context: CommandContext): Command {
  return new Command('check')
    .description('find mistakes in the map and around it; sends nothing beyond this machine')
    .option('--installed', 'also compare what was written with what is there, and with what the front runs')
    .addOption(mapOption())
    .addOption(jsonOption())
    .addOption(failOnOption())
    .action(async (options: Options) => {
      const { runCheck } = await import('../run/check.ts');
      await runCheck(options, context);
    });
}
