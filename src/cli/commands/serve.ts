import { Command, mapOption } from './common-options.ts';
import type { CommandContext } from '../io.ts';

interface Options {
  map?: string;
  written?: boolean;
}

export function serve(context: CommandContext): Command {
  return new Command('serve')
    .description("run Mile Marker's own proxy for the map until Ctrl-C")
    .addOption(mapOption())
    .option('--written', 'serve the last written edition without reading the map (in a container)')
    .action(async (options: Options) => {
      const { runServe } = await import('../run/live/serve.ts');
      await runServe(options, context);
    });
}
