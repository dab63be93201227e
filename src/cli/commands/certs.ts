import { Command, jsonOption, mapOption, type CommandContext } from './context.ts';

interface Options {
  map?: string;
  json?: boolean;
}

export function certs(context: CommandContext): Command {
  const make = new Command('make')
    .description('make the practice certificates that are missing or due; the authority is made once')
    .addOption(mapOption())
    .addOption(jsonOption())
    .action(async (options: Options) => {
      const { runCertsMake } = await import('../run/certs.ts');
      await runCertsMake(options, context);
    });
  return new Command('certs').description('certificates').addCommand(make);
}
