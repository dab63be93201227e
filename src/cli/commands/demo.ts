import { Option } from 'commander';
import { writtenNames, type ProxyName } from '../../core/proxies/names.ts';
import { Command } from './common-options.ts';
import type { CommandContext } from '../io.ts';

interface Options {
  proxy: ProxyName;
  keep?: boolean;
}

export function demo(context: CommandContext): Command {
  return new Command('demo')
    .description('show the whole tool on sample data, on this machine only, then clean up')
    .addOption(
      new Option('--proxy <program>', 'the proxy to use').choices(writtenNames).default('builtin' satisfies ProxyName),
    )
    .option('--keep', 'keep it running until Ctrl-C')
    .action(async (options: Options) => {
      const { runDemoCommand } = await import('../run/live/demo.ts');
      await runDemoCommand(options, context);
    });
}
