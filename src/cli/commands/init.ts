import { Option } from 'commander';
import { writtenNames } from '../../core/proxies/names.ts';
import { collect, Command } from './common-options.ts';
import type { InitOptions } from '../run/init.ts';
import type { CommandContext } from '../io.ts';

export function init(context: CommandContext): Command {
  return new Command('init')
    .description('write a first map, with comments')
    .option('--domain <name>', 'your domain, such as saltmarsh.example')
    .option(
      '--address <address...>',
      'your public address, IPv4 and IPv6 if you have both; where it changes, the name that leads to it',
      collect,
    )
    .addOption(new Option('--proxy <program>', 'the proxy at the front (default: builtin)').choices(writtenNames))
    .option(
      '--from <source...>',
      'fill it with what is there: a proxy by its name (what the installed one serves), `compose FILE...`, or `containers` (what runs)',
    )
    .action(async (options: InitOptions) => {
      const { runInit } = await import('../run/init.ts');
      await runInit(options, context);
    });
}
