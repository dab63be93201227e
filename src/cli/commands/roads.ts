import { Command, jsonOption, mapOption, type CommandContext } from './context.ts';

interface Options {
  map?: string;
  json?: boolean;
  why?: boolean;
}

export function roads(context: CommandContext): Command {
  return new Command('roads')
    .description('the map as a table: every name, where it leads, and who may pass')
    .addOption(mapOption())
    .option('--why', 'also say how each address was found, and what `home` means here')
    .addOption(jsonOption())
    .action(async (options: Options) => {
      const { runRoads } = await import('../run/roads.ts');
      await runRoads(options, context);
    });
}
