import { Argument, InvalidArgumentError, Option } from 'commander';
import { Command, mapOption } from './common-options.ts';
import { Trouble } from '../../adapters/trouble.ts';
import { alone } from '../alone.ts';
import { installable } from './install.ts';
import type { UndoOptions } from '../run/live/firewall.ts';
import type { UndoFrontOptions } from '../run/live/undo-front.ts';
import type { CommandContext } from '../io.ts';

export function undo(context: CommandContext): Command {
  return new Command('undo')
    .description('undo an installation: the front, its services and timers, or the firewall')
    .addArgument(new Argument('[part]', 'what to undo').choices(installable))
    .addArgument(new Argument('[edition]', 'front: this edition instead').argParser(parseEdition))
    .option('--yes', 'do not ask')
    .addOption(new Option('--trial <id>', 'only if this trial is still running').hideHelp())
    .addOption(mapOption())
    .action(
      async (
        part: (typeof installable)[number] | undefined,
        edition: number | undefined,
        options: UndoOptions & UndoFrontOptions,
      ) => {
        if (part === undefined) throw undoWhat();
        if (edition !== undefined && part !== 'front') throw onlyFront(part);
        if (part === 'firewall') {
          const { runUndoFirewall } = await import('../run/live/firewall.ts');
          await runUndoFirewall(options, context);
          return;
        }
        if (part === 'service' || part === 'follow' || part === 'timers') {
          const { runUndoUnits } = await import('../run/live/install-units.ts');
          await alone(options, 'undo', context.io, () => runUndoUnits(part, options, context));
          return;
        }
        const { runUndoFront } = await import('../run/live/undo-front.ts');
        await alone(options, 'undo', context.io, () => runUndoFront(edition ?? null, options, context));
      },
    );
}

function undoWhat(): Trouble {
  return new Trouble({
    code: 'undo-what',
    message: 'Undo what?',
    remedy:
      'Name one: mile-marker undo front (to the edition before), service, follow, timers (what `install` set up), or firewall.',
    exitCode: 2,
  });
}

function onlyFront(part: string): Trouble {
  return new Trouble({
    code: 'option-not-used',
    message: `\`undo ${part}\` does not use the number of an edition.`,
    remedy: `Write: mile-marker undo ${part}`,
    exitCode: 2,
  });
}

function parseEdition(text: string): number {
  if (!/^\d{1,9}$/.test(text) || Number(text) < 1) throw new InvalidArgumentError('Write the number of an edition.');
  return Number(text);
}
