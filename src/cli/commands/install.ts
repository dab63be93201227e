import { Argument, Option } from 'commander';
import { Command, mapOption, parseMinutes } from './common-options.ts';
import type { InstallOptions } from '../run/firewall.ts';
import type { CommandContext } from '../io.ts';

/** What can be put live. */
export const installable = ['firewall'] as const;

export function install(context: CommandContext): Command {
  return new Command('install')
    .description('load the written firewall rules on trial; unless you keep them, they are removed by themselves')
    .addArgument(new Argument('<part>', 'what is to go live').choices(installable))
    .addOption(new Option('--minutes <count>', 'how long the trial lasts').argParser(parseMinutes).default(2))
    .option('--keep', 'keep the rules that are on trial, over reboots, too')
    .addOption(mapOption())
    .action(async (_part: string, options: InstallOptions) => {
      const { runInstallFirewall } = await import('../run/firewall.ts');
      await runInstallFirewall(options, context);
    });
}
