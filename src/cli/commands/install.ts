import { Argument, Option } from 'commander';
import { Command, mapOption, parseMinutes, type CommandContext } from './context.ts';

export interface InstallOptions {
  map?: string;
  keep?: boolean;
  minutes: number;
}

/** What can be put live. */
export const installable = ['firewall'] as const;

export function install(context: CommandContext): Command {
  return new Command('install')
    .description('put written files live: the firewall rules, on trial first; they go away by themselves unless kept')
    .addArgument(new Argument('<part>', 'what is to go live').choices(installable))
    .addOption(new Option('--minutes <count>', 'how long the trial lasts').argParser(parseMinutes).default(2))
    .option('--keep', 'keep what is on trial, over reboots too')
    .addOption(mapOption())
    .action(async (_part: string, options: InstallOptions) => {
      const { runInstallFirewall } = await import('../run/firewall.ts');
      await runInstallFirewall(options, context);
    });
}
