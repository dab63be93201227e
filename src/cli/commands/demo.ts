import { Option } from 'commander';
import { writtenNames, type ProxyName } from '../../core/proxies/names.ts';
import { Command, type CommandContext } from './context.ts';

interface Options {
  proxy: ProxyName;
  keep?: boolean;
}

export function demo(context: CommandContext): Command {
  return new Command('demo')
    .description('all of it on made-up data, on this machine only: start, check, write, serve, verify, clean up')
    .addOption(
      new Option('--proxy <program>', 'who answers at the front')
        .choices(writtenNames)
        .default('builtin' satisfies ProxyName),
    )
    .option('--keep', 'leave it running until Ctrl-C')
    .action(async (options: Options) => {
      const { runDemoCommand } = await import('../run/demo.ts');
      await runDemoCommand(options, context);
    });
}
