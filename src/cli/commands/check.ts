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
    .description('find mistakes in the map and on this machine; sends nothing to other machines')
    .option('--installed', 'also compare the written files with the map and with the running front')
    .addOption(mapOption())
    .addOption(jsonOption())
    .addOption(failOnOption())
    .action(async (options: Options) => {
      const { runCheck } = await import('../run/map/check.ts');
      await runCheck(options, context);
    });
}
