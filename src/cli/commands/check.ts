import type { Severity } from '../../core/findings/finding.ts';
import { Command, failOnOption, jsonOption, mapOption, type CommandContext } from './context.ts';

interface Options {
  map?: string;
  json?: boolean;
  failOn: Severity;
}

export function check(context: CommandContext): Command {
  return new Command('check')
    .description('say what is wrong with the map and what it needs; sends nothing beyond this machine')
    .addOption(mapOption())
    .addOption(jsonOption())
    .addOption(failOnOption())
    .action(async (options: Options) => {
      const { runCheck } = await import('../run/check.ts');
      await runCheck(options, context);
    });
}
