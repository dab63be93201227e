import { Command, jsonOption, mapOption } from './common-options.ts';
import type { RehearseOptions } from '../run/live/rehearse.ts';
import type { CommandContext } from '../io.ts';

export function rehearse(context: CommandContext): Command {
  return new Command('rehearse')
    .description(
      'start the proxy on the new files in an isolated network and send it the requests of visitors, people and attackers',
    )
    .option('--all', 'count the answers on each road')
    .option('--verbose', 'list every request with its answer')
    .option('--on-loopback', 'use free ports of this machine instead of an isolated network')
    .addOption(mapOption())
    .addOption(jsonOption())
    .action(async (options: RehearseOptions) => {
      const { runRehearse } = await import('../run/live/rehearse.ts');
      await runRehearse(options, context);
    });
}
