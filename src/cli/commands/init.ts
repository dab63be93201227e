import { collect, Command } from './common-options.ts';
import type { CommandContext } from '../io.ts';

interface Options {
  domain: string;
  address: string[];
}

export function init({ io }: CommandContext): Command {
  return new Command('init')
    .description('write a first map, with comments')
    .requiredOption('--domain <name>', 'your domain, such as saltmarsh.example')
    .requiredOption('--address <address...>', 'your public address, IPv4 and IPv6 if you have both', collect)
    .action(async ({ domain, address }: Options) => {
      const { initMap } = await import('../../use-cases/map/init.ts');
      const { shown, compose } = await initMap({ domain, addresses: address, cwd: io.cwd });
      io.out(`${shown}\n`);
      if (compose === null) io.err('There is no Compose file here. Write yours under `compose` in the map.\n');
      else io.err(`It reads the Compose file ${compose}.\n`);
      io.err('next: add your roads to it, then: mile-marker check\n');
    });
}
