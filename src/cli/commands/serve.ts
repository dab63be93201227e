import { Command, mapOption, type CommandContext } from './context.ts';

interface Options {
  map?: string;
}

export function serve(context: CommandContext): Command {
  return new Command('serve')
    .description('run the builtin proxy for the map until Ctrl-C')
    .addOption(mapOption())
    .action(async (options: Options) => {
      const { runServe } = await import('../run/serve.ts');
      await runServe(options, context);
    });
}
