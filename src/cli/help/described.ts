import type { Command } from 'commander';
import type { Io } from '../io.ts';
import { makeProgram } from '../program.ts';
import { exitCodes, nameOf } from './more-help.ts';
import { uses } from './uses.ts';

/**
 * A command as the references describe it.
 *
 * @property name its words, without the program's own name
 * @property usage how it is written, such as `verify [options] [road...]`
 * @property isGroup it only holds others
 */
export interface DescribedCommand {
  name: string;
  usage: string;
  about: string;
  isGroup: boolean;
  arguments: Array<{ name: string; about: string }>;
  options: Array<{ flags: string; about: string }>;
  examples: ReadonlyArray<readonly [line: string, purpose: string]>;
  exits: Array<[code: number, says: string]>;
}

/** Nobody is there: definitions alone are asked for. */
const nowhere = {
  ...{ out: () => undefined, err: () => undefined, progress: () => undefined, width: 80, colour: {} },
  signal: new AbortController().signal,
} as unknown as Io;

/** Every command that people see, each group before what is in it. */
export function describedCommands(): DescribedCommand[] {
  const program = makeProgram({ io: nowhere, setCode: () => undefined, run: () => Promise.resolve(0) });
  return visibleIn(program).map(described);
}

function visibleIn(command: Command): Command[] {
  const visible = command.createHelp().visibleCommands(command);
  return visible.filter((one) => one.name() !== 'help').flatMap((one) => [one, ...visibleIn(one)]);
}

function described(command: Command): DescribedCommand {
  const help = command.createHelp();
  const name = nameOf(command);
  const use = uses[name];
  const own = help.visibleOptions(command).filter(({ long }) => long !== '--help');
  return {
    name,
    usage: `${name} ${command.usage()}`,
    about: command.description(),
    isGroup: command.commands.length > 0,
    arguments: help
      .visibleArguments(command)
      .map((argument) => ({ name: argument.name(), about: help.argumentDescription(argument) })),
    options: own.map((option) => ({ flags: option.flags, about: help.optionDescription(option) })),
    examples: use?.examples ?? [],
    exits: use === undefined ? [] : exitCodes(use),
  };
}
