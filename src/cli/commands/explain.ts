import { collect, Command, jsonOption, mapOption, type CommandContext } from './context.ts';

export interface ExplainOptions {
  map?: string;
  json?: boolean;
  from?: string;
  as?: string;
  method: string;
  header?: string[];
  all?: boolean;
}

export function explain(context: CommandContext): Command {
  return new Command('explain')
    .description(
      'say what will happen to a request, why at each step, and which line of the map decides; nothing is sent',
    )
    .argument('[url]', 'what is asked for: a URL, or the name of a road')
    .option('--from <address>', 'where the request comes from (default: an address on the internet)')
    .option('--as <person>', 'who comes, with the right password')
    .option('--method <method>', 'what is asked', 'GET')
    .option('--header <line>', 'a header of the request, as NAME: VALUE; again for more', collect)
    .option('--all', 'every road against everybody who may come: what is open to whom')
    .addOption(mapOption())
    .addOption(jsonOption())
    .action(async (url: string | undefined, options: ExplainOptions) => {
      const { runExplain } = await import('../run/explain.ts');
      await runExplain(url ?? null, options, context);
    });
}
