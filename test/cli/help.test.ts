import { spawnSync } from 'node:child_process';
import { chmodSync, mkdirSync, symlinkSync } from 'node:fs';
import { join } from 'node:path';
import type { Command } from 'commander';
import { describedCommands } from '../../src/cli/help/described.ts';
import { manPage } from '../../src/cli/help/man-page.ts';
import { shellScripts } from '../../src/cli/help/shell-scripts.ts';
import { uses } from '../../src/cli/help/uses.ts';
import type { Io } from '../../src/cli/io.ts';
import { makeProgram } from '../../src/cli/program.ts';
import { folderWith, mileMarker, program } from '../support/program.ts';

/** What helps at the command line: examples, exit codes, the manual page, completion. */

beforeAll(() => {
  // What the build puts in.
  Object.assign(globalThis, { MILE_MARKER_VERSION: '1.2.3' });
});

const quiet = {
  out: () => undefined,
  err: () => undefined,
  width: 80,
  colour: {},
  signal: new AbortController().signal,
};

function allBelow(command: Command): Command[] {
  return [command, ...command.commands.flatMap(allBelow)];
}

test('every command has two examples and its exit codes, and every example is one that it takes', async () => {
  const commands = describedCommands().filter(({ isGroup }) => !isGroup);
  const poor = commands.filter(({ examples, exits }) => examples.length < 2 || exits.length < 4);
  expect(poor.map(({ name }) => name)).toEqual([]);
  expect(Object.keys(uses).sort()).toEqual(commands.map(({ name }) => name).sort());
  const refused: string[] = [];
  for (const [line] of commands.flatMap(({ examples }) => examples)) {
    const made = makeProgram({ io: quiet as unknown as Io, setCode: () => undefined, run: () => Promise.resolve(0) });
    for (const command of allBelow(made)) command.action(() => undefined);
    await made
      .parseAsync(line.split(' '), { from: 'user' })
      .catch((error: unknown) => refused.push(`${line}: ${String(error)}`));
  }
  expect(refused).toEqual([]);
  const help = (await mileMarker(['people', 'check', '--help'], folderWith())).out;
  expect(help).toContain('  mile-marker people check edda --gate wardens\n      asks for the password\n');
  expect(help).toContain('    1  it is not\n');
});

test('the manual page has every command, and no line that is taken for an order', () => {
  const lines = manPage('1.2.3').split('\n');
  for (const { name } of describedCommands())
    expect(lines.join('\n')).toContain(`.SS mile\\-marker ${name.replaceAll('-', '\\-')}`);
  const orders = new Set(lines.flatMap((line) => /^[.']\S*/.exec(line)?.[0] ?? []));
  expect([...orders].sort()).toEqual([
    '.B',
    '.I',
    '.PP',
    '.RE',
    '.RI',
    '.RS',
    '.SH',
    '.SS',
    '.TH',
    '.TP',
    '.fi',
    '.nf',
  ]);
});

const map = `domains: [saltmarsh.example]
front: {address: 203.0.113.24}
gates: {wardens: {people: wardens.htpasswd}}
certificates: {visitors: {names: [saltmarsh.example]}}
roads: {nestcam: "nestcam:3000", nestbox: ":8081", roster: {to: "roster:5000", gate: wardens}}
`;

test.each([
  ['', 'init survey add'],
  ['inst', 'install'],
  ['install ', 'front service follow timers firewall'],
  ['pause nest', 'nestcam nestbox'],
  ['verify nestcam ro', 'roster'],
  ['set roster ga', 'gate'],
  ['set roster gate ', 'everyone home wardens'],
  ['people remove ', 'edda finn'],
  ['people add hild --gate w', 'wardens'],
  ['certs obtain ', 'visitors'],
  ['verify --fail-on w', 'warning'],
  ['verify --fai', '--fail-on'],
  ['explain --as e', 'edda'],
  ['certs import x.pem --as ', 'visitors'],
  ['add a :80 --like nestb', 'nestbox'],
  ['certs import ', ''],
  ['verify --report ', ''],
])('at `%s` bash is offered `%s`', (typed, offered) => {
  const folder = folderWith({ 'mile-marker.yaml': map, 'wardens.htpasswd': 'edda:x\nfinn:y\n' });
  const words = typed.split(' ').map((word) => `'${word}'`);
  const script = `${shellScripts.bash.script}
COMP_WORDS=(mile-marker ${words.join(' ')}); COMP_CWORD=${String(words.length)}
_mile_marker
echo "\${COMPREPLY[@]}"`;
  mkdirSync(join(folder, 'bin'));
  chmodSync(program, 0o755);
  symlinkSync(program, join(folder, 'bin/mile-marker'));
  const env = { ...process.env, PATH: `${join(folder, 'bin')}:${process.env['PATH'] ?? ''}` };
  const { stdout, stderr } = spawnSync('bash', ['-c', script], { cwd: folder, env, encoding: 'utf8' });
  expect(stderr).toBe('');
  expect(typed === '' ? stdout.slice(0, offered.length) : stdout.trim()).toBe(offered);
});

test('a map that cannot be read takes nothing but its own names away', async () => {
  const folder = folderWith({ 'mile-marker.yaml': 'domains: [\n' });
  expect(await mileMarker(['complete-words', '--', 'pause', ''], folder)).toMatchObject({ code: 0, out: '', err: '' });
  expect((await mileMarker(['complete-words', '--', 'undo', ''], folder)).out).toContain('front\n');
});
