import { Argument, Option } from 'commander';
import { Command, mapOption } from './common-options.ts';
import { installable } from './install.ts';
import type { UndoOptions } from '../run/firewall.ts';
import type { CommandContext } from '../io.ts';

export function undo(context: CommandContext): Command {
  return new Command('undo')
    .description('undo: rules on trial give way to the kept ones, kept ones are removed')
    .addArgument(new Argument('<part>', 'what to undo').choices(installable))
    .addOption(new Option('--trial <id>', 'only while this trial still stands').hideHelp())
    .addOption(mapOption())
    .action(async (_part: string, options: UndoOptions) => {
      const { runUndoFirewall } = await import('../run/firewall.ts');
      await runUndoFirewall(options, context);
    });
}
