import { Command, jsonOption, mapOption } from './common-options.ts';
import type { RoadsOptions } from '../run/map/roads.ts';
import type { CommandContext } from '../io.ts';

export function roads(context: CommandContext): Command {
  return new Command('roads')
    .description('show the map as a table: each name, where it leads, who may pass')
    .addOption(mapOption())
    .option('--tree', 'draw the roads as a tree, with the results of the latest verify')
    .option('--why', 'also show how each address was found, and what `home` means here')
    .addOption(jsonOption())
    .action(async (options: RoadsOptions) => {
      const { runRoads } = await import('../run/map/roads.ts');
      await runRoads(options, context);
    });
}
