import { InvalidArgumentError } from 'commander';
import { Command, jsonOption, mapOption } from './common-options.ts';
import type { SurveyOptions } from '../run/survey.ts';
import type { CommandContext } from '../io.ts';

export function survey(context: CommandContext): Command {
  return new Command('survey')
    .description('list what runs, where it listens, which road leads to it, and which roads lead nowhere')
    .option('--add', 'suggest a road for each service without one, and ask')
    .option('--yes', 'with --add: do not ask')
    .option('--ports', 'list who uses which port of this host')
    .option('--free', 'print the next free port of this host')
    .option('--from <port>', 'with --free: start at this port', parsePort, 8000)
    .addOption(mapOption())
    .addOption(jsonOption())
    .action(async (options: SurveyOptions) => {
      const { runSurvey } = await import('../run/survey.ts');
      await runSurvey(options, context);
    });
}

function parsePort(text: string): number {
  const port = Number(text);
  if (!/^\d+$/.test(text) || port < 1 || port > 65_535) throw new InvalidArgumentError('Write a port from 1 to 65535.');
  return port;
}
