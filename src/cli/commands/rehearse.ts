import { Command, jsonOption, mapOption } from './common-options.ts';
import type { RehearseOptions } from '../run/rehearse.ts';
import type { CommandContext } from '../io.ts';

export function rehearse(context: CommandContext): Command {
  return new Command('rehearse')
    .description('run what would be written in a sealed network with stand-in services, and play many requests')
    .option('--all', 'list every request, not only what went wrong')
    .option('--on-loopback', 'on free ports of this machine instead of a sealed network')
    .addOption(mapOption())
    .addOption(jsonOption())
    .action(async (options: RehearseOptions) => {
      const { runRehearse } = await import('../run/rehearse.ts');
      await runRehearse(options, context);
    });
}
