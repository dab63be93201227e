import { Argument, Option } from 'commander';
import {
  Command,
  collect,
  jsonOption,
  mapOption,
  proxyOption,
  parseCount,
  parseMinutes,
  nightLogin,
  nightMailTo,
  nightNotify,
  nightTrust,
} from './common-options.ts';
import { alone } from '../alone.ts';
import type { InstallOptions } from '../run/firewall.ts';
import type { InstallFrontOptions } from '../run/install-front.ts';
import type { UnitOptions } from '../run/install-units.ts';
import type { CommandContext } from '../io.ts';

/** What can be put live. */
export const installable = ['front', 'service', 'follow', 'timers', 'firewall'] as const;

export function install(context: CommandContext): Command {
  return new Command('install')
    .description(
      'bring the map live: write, test, switch, reload and test every road; or have the builtin front, what follows the containers, or the timers started with the machine; or load the firewall rules on trial',
    )
    .addArgument(new Argument('[part]', 'what is to go live').choices(installable).default('front'))
    .addOption(mapOption())
    .option('--yes', 'do not ask')
    .option('--dry-run', 'show what would change, and change nothing')
    .addOption(proxyOption())
    .option('--despite <rule>', 'front: go on although `check` finds an error of this rule (may be repeated)', collect)
    .option(
      '--replace <file>',
      'front: switch off what is in the way in this file of another (may be repeated); `undo front` brings it back',
      collect,
    )
    .addOption(
      new Option('--keep-editions <count>', 'front: how many of the newest editions stay')
        .argParser(parseCount)
        .default(10),
    )
    .option('--closing', 'front: bring live only what closes (paused roads, narrower gates), at once')
    .option('--no-rehearsal', 'front: do not rehearse it first')
    .addOption(jsonOption())
    .addOption(new Option('--minutes <count>', 'firewall: how long the trial lasts').argParser(parseMinutes).default(2))
    .option(
      '--then <word>',
      'timers: a program to run after a renewal, without a shell; repeat the option for each argument',
      collect,
    )
    .addOption(nightNotify('timers: '))
    .addOption(nightMailTo('timers: '))
    .addOption(nightLogin('timers: '))
    .addOption(nightTrust('timers: '))
    .option('--keep', 'firewall: keep the rules that are on trial, over reboots, too')
    .action(async (part: (typeof installable)[number], options: InstallOptions & InstallFrontOptions & UnitOptions) => {
      if (part === 'firewall') {
        const { runInstallFirewall } = await import('../run/firewall.ts');
        await runInstallFirewall(options, context);
        return;
      }
      if (part === 'service' || part === 'follow' || part === 'timers') {
        const { runInstallUnits } = await import('../run/install-units.ts');
        await alone(options, 'install', context.io, () => runInstallUnits(part, options, context));
        return;
      }
      const { runInstallFront } = await import('../run/install-front.ts');
      await alone(options, 'install', context.io, () => runInstallFront(options, context));
    });
}
