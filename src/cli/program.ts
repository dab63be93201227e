import { Command } from 'commander';
import { certs } from './commands/certs.ts';
import { check } from './commands/check.ts';
import type { CommandContext } from './io.ts';
import { completeWords, completion } from './commands/completion.ts';
import { commandGroups } from './command-groups.ts';
import { moreHelp } from './help/more-help.ts';
import { demo } from './commands/demo.ts';
import { dns } from './commands/dns.ts';
import { add, pause, remove, resume, set } from './commands/edit.ts';
import { editions } from './commands/editions.ts';
import { explain } from './commands/explain.ts';
import { follow } from './commands/follow.ts';
import { install } from './commands/install.ts';
import { devices } from './commands/devices.ts';
import { people } from './commands/people.ts';
import { report } from './commands/report.ts';
import { rehearse } from './commands/rehearse.ts';
import { roads } from './commands/roads.ts';
import { schedule } from './commands/schedule.ts';
import { serve } from './commands/serve.ts';
import { init } from './commands/init.ts';
import { survey } from './commands/survey.ts';
import { undo } from './commands/undo.ts';
import { verify } from './commands/verify.ts';
import { write } from './commands/write.ts';
import { Trouble } from '../adapters/trouble.ts';
import { assertUsed } from './option-uses.ts';

declare const MILE_MARKER_VERSION: string;

/** Every command, in the order in which one comes to need them. A new command is one file and one line here. */
const commands: ReadonlyArray<(context: CommandContext) => Command> = [
  init,
  survey,
  add,
  set,
  remove,
  pause,
  resume,
  roads,
  check,
  explain,
  certs,
  people,
  devices,
  dns,
  write,
  serve,
  follow,
  rehearse,
  install,
  undo,
  editions,
  verify,
  report,
  schedule,
  completion,
  demo,
];

/** Builds the command line. Definitions only: what a command does is loaded when it runs. */
export function makeProgram(context: CommandContext): Command {
  const { io } = context;
  const program = new Command('mile-marker');
  program
    .description(
      'Maps subdomains to containerised services behind one public address, and checks that every road works.',
    )
    .version(MILE_MARKER_VERSION)
    .showHelpAfterError('Run `mile-marker --help` for the commands.')
    .addHelpText(
      'after',
      '\nStart with: mile-marker init --domain NAME --address ADDRESS. To see it work: mile-marker demo',
    )
    .configureHelp({ helpWidth: Math.min(io.width, 100), subcommandTerm: (command) => command.name() });
  program.hook('preAction', (_, command) => assertUsed(command));
  for (const make of commands) program.addCommand(make(context));
  inGroups(program);
  program.addCommand(renamed(), { hidden: true });
  program.addCommand(completeWords(context), { hidden: true });
  for (const command of [program, ...allBelow(program)]) {
    command
      .exitOverride()
      .configureOutput({ writeOut: io.out, writeErr: io.err, getOutHasColors: () => io.colour.out })
      .addHelpText('after', () => moreHelp(command, io.width));
  }
  return program;
}

function inGroups(program: Command): void {
  const [last] = commandGroups.slice(-1);
  program.commandsGroup(last?.[0] ?? '');
  program.helpCommand('help [command]', last?.[1]['help'] ?? '');
  for (const [heading, commands] of commandGroups)
    for (const [name, summary] of Object.entries(commands))
      program.commands
        .find((command) => command.name() === name)
        ?.helpGroup(heading)
        .summary(summary);
}

/** `start` was the name of `init`; somebody may have it in a note. */
function renamed(): Command {
  return new Command('start')
    .allowUnknownOption()
    .allowExcessArguments()
    .helpOption(false)
    .action(() => {
      throw new Trouble({
        code: 'command-renamed',
        message: '`start` is now called `init`.',
        remedy: 'Run: mile-marker init --domain NAME --address ADDRESS',
        exitCode: 2,
      });
    });
}

function allBelow(command: Command): Command[] {
  return command.commands.flatMap((below) => [below, ...allBelow(below)]);
}
