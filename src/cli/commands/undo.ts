import { Argument, Option } from 'commander';
import { Command, mapOption, type CommandContext } from './context.ts';
import { installable } from './install.ts';

export interface UndoOptions {
  map?: string;
  trial?: string;
}

export function undo(context: CommandContext): Command {
  return new Command('undo')
    .description('take back what was put live: rules on trial give way to the kept ones, kept ones go away')
    .addArgument(new Argument('<part>', 'what is to be taken back').choices(installable))
    .addOption(new Option('--trial <id>', 'only while this trial still stands').hideHelp())
    .addOption(mapOption())
    .action(async (_part: string, options: UndoOptions) => {
      const { runUndoFirewall } = await import('../run/firewall.ts');
      await runUndoFirewall(options, context);
    });
}
