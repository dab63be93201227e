import { Command, mapOption, type CommandContext } from './context.ts';

interface Options {
  map?: string;
  written?: boolean;
}

export function serve(context: CommandContext): Command {
  return new Command('serve')
    .description('run the builtin proxy for the map until Ctrl-C')
    .addOption(mapOption())
    .option('--written', 'serve what was last written, without reading the map (as in a container)')
    .action(async (options: Options) => {
      const { runServe } = await import('../run/serve.ts');
      await runServe(options, context);
    });
}
