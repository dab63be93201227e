import type { Argument, Command, Option } from 'commander';
import { nameOf } from './more-help.ts';

/** Something that may stand where the cursor is. @property about one line on it; may be empty */
interface Candidate {
  word: string;
  about: string;
}

/** What the map at hand calls things. @property keys that a road may have */
export interface NamesAtHand {
  roads: string[];
  gates: string[];
  certificates: string[];
  people: string[];
  devices: string[];
  keys: string[];
}

type Kind = keyof NamesAtHand;

/** What an argument of this name is, or the value of an option, of whichever command. */
const kindOfArgument: Readonly<Record<string, Kind>> = {
  road: 'roads',
  url: 'roads',
  key: 'keys',
  certificate: 'certificates',
  certificates: 'certificates',
  person: 'people',
  device: 'devices',
};

/** Where that name means something else. */
const kindIn: Readonly<Record<string, Kind>> = {
  'people add name': 'people',
  'people remove name': 'people',
  'people check name': 'people',
};

/** What the value of a road's key is, in `set`. */
const kindOfValue: Readonly<Record<string, Kind>> = { gate: 'gates', certificate: 'certificates' };

/**
 * What may stand where the cursor is.
 *
 * @param words behind the program's name, the last one as far as it is typed; it may be empty
 * @param names asked for when they are needed alone, since the map is read for them
 * @returns none where only a person knows, such as the name of a file
 */
export async function complete(
  program: Command,
  words: readonly string[],
  names: () => Promise<NamesAtHand>,
): Promise<Candidate[]> {
  const typed = words.at(-1) ?? '';
  const { command, count, option } = whereIn(program, words.slice(0, -1));
  const starting = (candidates: Candidate[]): Candidate[] => candidates.filter(({ word }) => word.startsWith(typed));
  const named = async (kind: Kind | undefined): Promise<Candidate[]> =>
    kind === undefined ? [] : (await names())[kind].map((word) => ({ word, about: '' }));
  if (option !== null) return starting([...choicesOf(option), ...(await named(kindOfOption(option)))]);
  if (typed.startsWith('-')) return starting(optionsOf(command));
  const below = command.commands.filter((one) => !isHidden(one));
  if (below.length > 0) return starting(below.map((one) => ({ word: one.name(), about: one.description() })));
  const argument = argumentAt(command, count);
  if (argument === null) return [];
  if (argument.name() === 'value') return starting(await named(kindOfValue[words.at(-2) ?? '']));
  const kind = kindIn[`${nameOf(command)} ${argument.name()}`] ?? kindOfArgument[argument.name()];
  return starting([...choicesOf(argument), ...(await named(kind))]);
}

/** How far the words go: into which command, how many arguments of it are there, and which option waits for its value. */
function whereIn(
  program: Command,
  words: readonly string[],
): { command: Command; count: number; option: Option | null } {
  let command = program;
  let count = 0;
  let option: Option | null = null;
  for (const word of words) {
    const below = command.commands.find((one) => one.name() === word);
    if (option !== null) option = null;
    else if (word.startsWith('-')) option = optionNamed(command, word);
    else if (below !== undefined && count === 0) command = below;
    else count += 1;
  }
  return { command, count, option };
}

/** The option that this word begins, when its value is the next word. */
function optionNamed(command: Command, word: string): Option | null {
  const found = command.options.find(({ long, short }) => long === word || short === word);
  return found?.required === true ? found : null;
}

function kindOfOption({ flags }: Option): Kind | undefined {
  const [, option = '', value = ''] = /(--[\w-]+) <([\w-]+)/.exec(flags) ?? [];
  return option === '--gate' ? 'gates' : kindOfArgument[value];
}

function optionsOf(command: Command): Candidate[] {
  const own = command.options.flatMap(({ long, description, hidden }) =>
    long === undefined || long === null || hidden ? [] : [{ word: long, about: description }],
  );
  return [...own, { word: '--help', about: 'display help for command' }];
}

function argumentAt({ registeredArguments: all }: Command, count: number): Argument | null {
  const last = all.at(-1);
  return all[count] ?? (last?.variadic === true ? last : null);
}

function choicesOf({ argChoices }: Option | Argument): Candidate[] {
  return (argChoices ?? []).map((word) => ({ word, about: '' }));
}

/** The library knows which of them it hides, and tells its help alone. */
function isHidden(command: Command): boolean {
  return !(command.parent?.createHelp().visibleCommands(command.parent).includes(command) ?? true);
}
