import { Command, jsonOption, mapOption } from './common-options.ts';
import type { CommandContext } from '../io.ts';

export function editions(context: CommandContext): Command {
  return new Command('editions')
    .description('list the written editions of the front, and what became of each')
    .addOption(mapOption())
    .addOption(jsonOption())
    .action(async (options: { map?: string; json?: boolean }) => {
      const { runEditions } = await import('../run/editions.ts');
      await runEditions(options, context);
    });
}
