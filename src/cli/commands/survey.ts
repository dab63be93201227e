import { InvalidArgumentError } from 'commander';
import { Command, jsonOption, mapOption, type CommandContext } from './context.ts';

export interface SurveyOptions {
  map?: string;
  json?: boolean;
  add?: boolean;
  yes?: boolean;
  ports?: boolean;
  free?: boolean;
  from: number;
}

export function survey(context: CommandContext): Command {
  return new Command('survey')
    .description('what runs and where it listens, which road leads to it, and which roads lead nowhere')
    .option('--add', 'propose a road for each service that has none, and ask')
    .option('--yes', 'with --add: do not ask')
    .option('--ports', 'who has which port of this host')
    .option('--free', 'print the next port of this host that nobody has')
    .option('--from <port>', 'with --free: begin here', parsePort, 8000)
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
