import { collect, Command, jsonOption, mapOption } from './common-options.ts';
import type { ExplainOptions } from '../run/map/explain.ts';
import type { CommandContext } from '../io.ts';

export function explain(context: CommandContext): Command {
  return new Command('explain')
    .description('show what happens to a request, step by step, and which line of the map decides; sends nothing')
    .argument('[url]', 'a URL, or the name of a road')
    .option('--from <address>', 'where the request comes from (default: an address on the internet)')
    .option('--as <person>', 'a person with the right password')
    .option('--device <device>', 'a device that shows its certificate; or one that is removed, ended or foreign')
    .option('--method <method>', 'method of the request', 'GET')
    .option('--header <line>', 'a header of the request, as NAME: VALUE (may be repeated)', collect)
    .option('--all-steps', 'also show the steps at which nothing is set')
    .option('--all', 'show all roads against all kinds of visitors')
    .addOption(mapOption())
    .addOption(jsonOption())
    .action(async (url: string | undefined, options: ExplainOptions) => {
      const { runExplain } = await import('../run/map/explain.ts');
      await runExplain(url ?? null, options, context);
    });
}
