import { Command, jsonOption, mapOption } from './common-options.ts';
import type { CommandContext } from '../io.ts';

export function editions(context: CommandContext): Command {
  return new Command('editions')
    .description('list the editions of the front and what happened to each')
    .addOption(mapOption())
    .addOption(jsonOption())
    .action(async (options: { map?: string; json?: boolean }) => {
      const { runEditions } = await import('../run/live/editions.ts');
      await runEditions(options, context);
    });
}
