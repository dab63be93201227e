import { createHash } from 'node:crypto';
import { execFileSync } from 'node:child_process';
import { lstatSync, readdirSync, readFileSync, readlinkSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Command, Option } from 'commander';
import { optionUses } from '../../src/cli/option-uses.ts';
import type { Io } from '../../src/cli/io.ts';
import { makeProgram } from '../../src/cli/program.ts';
import { folderWith, mileMarker } from '../support/program.ts';
import { practiceHead } from '../support/site.ts';

/** Every command and every option: one that is not used is refused, and `--dry-run` changes nothing anywhere. */

Object.assign(globalThis, { MILE_MARKER_VERSION: '1.2.3' });
const quiet = {
  out: () => undefined,
  err: () => undefined,
  width: 80,
  colour: {},
  signal: new AbortController().signal,
};

interface One {
  path: string;
  command: Command;
  option: Option;
}

function allOptions(): One[] {
  const made = makeProgram({ io: quiet as unknown as Io, setCode: () => undefined, run: () => Promise.resolve(0) });
  const below = (command: Command, above: string[]): One[] => {
    const path = [...above, command.name()];
    const own = command.options.map((option) => ({ path: path.join(' '), command, option }));
    return [...own, ...command.commands.flatMap((one) => below(one, path))];
  };
  return made.commands.flatMap((command) => below(command, []));
}

/** A value that an option takes, whatever it is for. */
function valueOf({ argChoices, long, flags }: Option): string[] {
  if (!/[<[]/.test(flags)) return [];
  if (argChoices !== undefined) return [argChoices[0] ?? ''];
  if (/--(minutes|keep-editions|parallel|from)$/.test(long ?? '')) return ['8'];
  if (/--(timeout|wait|watch|refresh)$/.test(long ?? '')) return ['5s'];
  return ['x'];
}

const wordsOf = (option: Option): string[] => [option.long ?? '', ...valueOf(option)];

/** Arguments that a command wants, with `part` in one place. */
function argumentsOf(command: Command, part: string | null, at: number): string[] {
  return command.registeredArguments.flatMap((argument, index) => {
    if (part !== null && index === at) return [part];
    if (!argument.required && index > at) return [];
    return argument.required || (part !== null && index < at) ? [argument.argChoices?.[0] ?? 'log'] : [];
  });
}

/** Each way in which an option is said where it is not used. */
function unusedForms(): Array<[string, string[]]> {
  const all = allOptions();
  return Object.entries(optionUses).flatMap(([path, uses]) =>
    Object.entries(uses).flatMap(([attribute, { part, at: place = 0, needs, not = [] }]) => {
      const at = place === 'any' ? 0 : place;
      const found = all.find((one) => one.path === path && one.option.attributeName() === attribute);
      if (found === undefined) throw new Error(`${path} has no option ${attribute}`);
      const { command, option } = found;
      const other = (name: string): Option => {
        const one = command.options.find((two) => two.attributeName() === name);
        if (one === undefined) throw new Error(`${path} has no option ${name}`);
        return one;
      };
      const parts = command.registeredArguments[at]?.argChoices ?? ['to'];
      const wrong = part === undefined ? [] : parts.filter((one) => !part.includes(one));
      const line = (words: string[], said: string | null): [string, string[]] => {
        const argv = [...path.split(' '), ...argumentsOf(command, said, at), ...words];
        return [argv.join(' '), argv];
      };
      return [
        ...wrong.map((one) => line(wordsOf(option), one)),
        ...(needs === undefined ? [] : [line(wordsOf(option), part?.[0] ?? null)]),
        ...not.map((name) => line([...wordsOf(option), ...wordsOf(other(name))], part?.[0] ?? null)),
      ];
    }),
  );
}

test.each(unusedForms())('refused: mile-marker %s', async (_, argv) => {
  const folder = folderWith({ 'mile-marker.yaml': 'domains: [saltmarsh.example]\n' });
  const { code, err } = await mileMarker(argv, folder);
  expect([code, err]).toEqual([2, expect.stringMatching(/does not use --|and --\S+ cannot be combined/)]);
  expect(readdirSync(folder)).toEqual(['mile-marker.yaml']);
});

/** Path, kind, mode and bytes of all below a folder. */
function everythingIn(folder: string): string[] {
  return (readdirSync(folder, { recursive: true }) as string[]).sort().map((path) => {
    const at = join(folder, path);
    const { mode, mtimeMs } = lstatSync(at);
    const kind = lstatSync(at).isSymbolicLink() ? readlinkSync(at) : lstatSync(at).isFile() ? readFileSync(at) : '';
    return `${path} ${String(mode)} ${String(lstatSync(at).isFile() ? mtimeMs : 0)} ${createHash('sha256').update(kind).digest('hex')}`;
  });
}

const rules = (): string => {
  try {
    return execFileSync('nft', ['list', 'ruleset'], { encoding: 'utf8' });
  } catch {
    return '';
  }
};

const dry = allOptions().filter(({ option }) => ['--dry-run', '--diff'].includes(option.long ?? ''));
const forms = dry.flatMap(({ path, command, option }) =>
  (command.registeredArguments[0]?.argChoices ?? [null]).flatMap((part) => {
    const argv = [...path.split(' '), ...(part === null ? [] : [part]), option.long ?? ''];
    const ways = path === 'install' && part === 'firewall' ? [argv, [...argv, '--keep']] : [argv];
    return ways.map((one) => [one.join(' '), one] as [string, string[]]);
  }),
);

test.each(forms)('changes nothing: mile-marker %s', async (_, argv) => {
  const { head } = await practiceHead('builtin');
  const folder = folderWith({ 'mile-marker.yaml': `${head}roads: {log: {to: ":9", gate: everyone}}\n` });
  await mileMarker(['certs', 'make'], folder);
  await mileMarker(['write'], folder);
  writeFileSync(
    join(folder, 'mile-marker.yaml'),
    `${readFileSync(join(folder, 'mile-marker.yaml'), 'utf8')}  \n# more\n`.replace('log:', 'tides:'),
  );
  const [before, kernel] = [everythingIn(folder), rules()];
  await mileMarker(argv, folder);
  expect([everythingIn(folder), rules()]).toEqual([before, kernel]);
});

test('every restriction is about an option that there is, and every dry run is tried', () => {
  expect(forms.length).toBeGreaterThan(8);
  expect(unusedForms().length).toBeGreaterThan(60);
});
