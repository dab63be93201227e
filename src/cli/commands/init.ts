import { Option } from 'commander';
import { writtenNames } from '../../core/proxies/names.ts';
import { collect, Command } from './common-options.ts';
import type { InitOptions } from '../run/map/init.ts';
import type { CommandContext } from '../io.ts';

export function init(context: CommandContext): Command {
  return new Command('init')
    .description('write a first map, with comments')
    .option('--domain <name>', 'your domain, such as saltmarsh.example')
    .option(
      '--address <address...>',
      'your public address, IPv4 and IPv6 if you have both; if it changes, a name that follows it',
      collect,
    )
    .addOption(new Option('--proxy <program>', 'the proxy at the front (default: builtin)').choices(writtenNames))
    .option(
      '--from <source...>',
      'fill it from a proxy by name (what the installed one serves), from `compose FILE...`, or from `containers` (what runs)',
    )
    .action(async (options: InitOptions) => {
      const { runInit } = await import('../run/map/init.ts');
      await runInit(options, context);
    });
}
