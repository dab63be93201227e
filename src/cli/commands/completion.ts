import { Argument } from 'commander';
import { Command } from './common-options.ts';
import { shells, shellScripts, type Shell } from '../help/shell-scripts.ts';
import type { CommandContext } from '../io.ts';

export function completion({ io }: CommandContext): Command {
  return new Command('completion')
    .description('print a script that makes your shell complete commands, options and names on the map')
    .addArgument(new Argument('<shell>', 'your shell').choices(shells))
    .action((shell: Shell) => {
      const { script, put } = shellScripts[shell];
      io.out(script);
      io.err(`next: ${put}\n`);
    });
}

/** What those scripts ask. */
export function completeWords({ io }: CommandContext): Command {
  return new Command('complete-words')
    .argument('[words...]')
    .helpOption(false)
    .action(async (words: string[], _: unknown, command: Command) => {
      const { runCompleteWords } = await import('../run/map/complete-words.ts');
      if (command.parent !== null) await runCompleteWords(command.parent, words, io);
    });
}
