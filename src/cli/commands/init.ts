import { collect, Command, type CommandContext } from './context.ts';

interface Options {
  domain: string;
  address: string[];
}

export function init({ io }: CommandContext): Command {
  return new Command('init')
    .description('write a first map, with comments')
    .requiredOption('--domain <name>', 'your domain, such as saltmarsh.example')
    .requiredOption(
      '--address <address...>',
      'your public address; both the IPv4 and the IPv6 one if you have them',
      collect,
    )
    .action(async ({ domain, address }: Options) => {
      const { initMap } = await import('../../use-cases/map/init.ts');
      const { shown, compose } = await initMap({ domain, addresses: address, cwd: io.cwd });
      io.out(`${shown}\n`);
      if (compose === null) io.err('No Compose file is here; name yours under `compose` in the map.\n');
      else io.err(`It reads the Compose file ${compose}.\n`);
      io.err('next: write your roads into it, then run: mile-marker check\n');
    });
}
