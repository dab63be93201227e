import { Command, jsonOption, mapOption } from './common-options.ts';
import type { CommandContext } from '../io.ts';

interface Options {
  map?: string;
  json?: boolean;
  why?: boolean;
}

export function roads(context: CommandContext): Command {
  return new Command('roads')
    .description('show the map as a table: each name, where it leads, who may pass')
    .addOption(mapOption())
    .option('--why', 'also show how each address was found, and what `home` means here')
    .addOption(jsonOption())
    .action(async (options: Options) => {
      const { runRoads } = await import('../run/roads.ts');
      await runRoads(options, context);
    });
}
