import type { Option } from 'commander';
import { collect, Command, jsonOption, mapOption, type CommandContext } from './context.ts';

interface Options {
  map?: string;
  json?: boolean;
}

export interface ImportOptions extends Options {
  as?: string;
  passwordFile?: string;
}

export interface ExportOptions extends Options {
  to: string;
  key?: string;
  then?: string[];
}

const shared = (): Option[] => [mapOption(), jsonOption()];

export function certs(context: CommandContext): Command {
  const list = withShared(new Command('list'))
    .description(
      'what is held: what it covers, how long it lasts, which roads show it (this is what `certs` alone does)',
    )
    .action(async (options: Options) => {
      const { runCertsList } = await import('../run/certs.ts');
      await runCertsList(options, context);
    });
  const make = withShared(new Command('make'))
    .description('make the practice certificates that are missing or due; the authority is made once')
    .action(async (options: Options) => {
      const { runCertsMake } = await import('../run/certs.ts');
      await runCertsMake(options, context);
    });
  const bring = withShared(new Command('import'))
    .description('take over a certificate that you have: PEM in any number and order, or PKCS#12')
    .argument('<files...>', 'certificate, key and intermediate certificates')
    .option('--as <certificate>', 'which of the certificates of the map it is (default: the one whose names it covers)')
    .option('--password-file <file>', 'first line: the password that opens it (default: asks)')
    .action(async (files: string[], options: ImportOptions) => {
      const { runCertsImport } = await import('../run/certs.ts');
      await runCertsImport(files, options, context);
    });
  const give = withShared(new Command('export'))
    .description('copy a certificate for a program that needs it itself, now and after each renewal')
    .argument('<certificate>', 'which, as `certs` calls it')
    .requiredOption('--to <file>', 'where to: certificates and key in one file, unless --key is given')
    .option('--key <file>', 'the key in a file of its own')
    .option(
      '--then <word>',
      'a program to run after each copy, without a shell; again for each of its arguments',
      collect,
    )
    .action(async (id: string, options: ExportOptions) => {
      const { runCertsExport } = await import('../run/certs.ts');
      await runCertsExport(id, options, context);
    });
  const whole = new Command('certs').description('certificates: what is held, and how to get more');
  whole.addCommand(list, { isDefault: true }).addCommand(make).addCommand(bring).addCommand(give);
  return whole;
}

function withShared(command: Command): Command {
  for (const option of shared()) command.addOption(option);
  return command;
}
