import { InvalidArgumentError } from 'commander';
import { Command, jsonOption, mapOption } from './common-options.ts';
import type { SurveyOptions } from '../run/map/survey.ts';
import type { CommandContext } from '../io.ts';

export function survey(context: CommandContext): Command {
  return new Command('survey')
    .description('list running services, their ports and their roads, and roads that lead nowhere')
    .option('--add', 'suggest a road for each service without one, and ask')
    .option('--yes', 'with --add: do not ask')
    .option('--ports', 'list which program uses which port of this machine')
    .option('--free', 'print the next free port of this machine')
    .option('--from <port>', 'with --free: start at this port', parsePort, 8000)
    .addOption(mapOption())
    .addOption(jsonOption())
    .action(async (options: SurveyOptions) => {
      const { runSurvey } = await import('../run/map/survey.ts');
      await runSurvey(options, context);
    });
}

function parsePort(text: string): number {
  const port = Number(text);
  if (!/^\d+$/.test(text) || port < 1 || port > 65_535) throw new InvalidArgumentError('Write a port from 1 to 65535.');
  return port;
}
