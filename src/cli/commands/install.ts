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
import type { InstallOptions } from '../run/live/firewall.ts';
import type { InstallFrontOptions } from '../run/live/install-front.ts';
import type { UnitOptions } from '../run/live/install-units.ts';
import type { CommandContext } from '../io.ts';

/** What can be put live. */
export const installable = ['front', 'service', 'follow', 'timers', 'firewall'] as const;

export function install(context: CommandContext): Command {
  return new Command('install')
    .description(
      'make the map live, with a rehearsal and a way back; also sets up services, timers or a trial firewall',
    )
    .addArgument(
      new Argument(
        '[part]',
        'front: the map; service: start the builtin front at boot; follow: watch the containers; timers: renewals and nightly tests; firewall: rules on trial',
      )
        .choices(installable)
        .default('front'),
    )
    .addOption(mapOption())
    .option('--yes', 'do not ask')
    .option('--dry-run', 'only show what would change')
    .addOption(proxyOption())
    .option(
      '--despite <rule>',
      'front: install although `check` reports this finding, by its id (may be repeated)',
      collect,
    )
    .option(
      '--replace <file>',
      'front: comment out conflicting servers in this file (may be repeated); `undo front` restores it',
      collect,
    )
    .addOption(
      new Option('--keep-editions <count>', 'front: how many editions to keep').argParser(parseCount).default(10),
    )
    .option('--closing', 'front: make live only what closes (paused roads, narrower gates), at once')
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
    .option('--show', 'service, follow, timers: print the unit files')
    .option('--keep', 'firewall: keep the trial rules, also after a reboot')
    .action(async (part: (typeof installable)[number], options: InstallOptions & InstallFrontOptions & UnitOptions) => {
      if (part === 'firewall') {
        const { runInstallFirewall } = await import('../run/live/firewall.ts');
        await runInstallFirewall(options, context);
        return;
      }
      if (part === 'service' || part === 'follow' || part === 'timers') {
        const { runInstallUnits } = await import('../run/live/install-units.ts');
        await alone(options, 'install', context.io, () => runInstallUnits(part, options, context));
        return;
      }
      const { runInstallFront } = await import('../run/live/install-front.ts');
      await alone(options, 'install', context.io, () => runInstallFront(options, context));
    });
}
