import type { Option } from 'commander';
import { collect, Command, jsonOption, mapOption, parseDuration, type CommandContext } from './context.ts';

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

export interface ObtainOptions extends Options {
  resolver?: string;
  wait: number;
  dryRun?: boolean;
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
  const obtain = withObtaining(new Command('obtain'))
    .description('get certificates from the authority of the map: those that are missing, or those that are named')
    .action(async (ids: string[], options: ObtainOptions) => {
      const { runCertsObtain } = await import('../run/certs-obtain.ts');
      await runCertsObtain(ids, options, context);
    });
  const renew = withObtaining(new Command('renew'))
    .description('renew what is due, or what is named; meant for a timer')
    .option('--dry-run', 'say what is due, and do nothing')
    .action(async (ids: string[], options: ObtainOptions) => {
      const { runCertsRenew } = await import('../run/certs-obtain.ts');
      await runCertsRenew(ids, options, context);
    });
  const whole = new Command('certs').description('certificates: what is held, and how to get more');
  whole.addCommand(list, { isDefault: true }).addCommand(make).addCommand(obtain).addCommand(renew);
  whole.addCommand(bring).addCommand(give);
  return whole;
}

function withObtaining(command: Command): Command {
  return withShared(command)
    .argument('[certificates...]', 'which, as `certs` calls them')
    .option('--resolver <address>', 'ask this resolver about zones: ADDRESS[:PORT]')
    .option('--wait <time>', 'how long to wait for every name server to show a record', parseDuration, 120_000)
    .option(
      '--then <word>',
      'a program to run when something is new, without a shell; again for each of its arguments',
      collect,
    );
}

function withShared(command: Command): Command {
  for (const option of shared()) command.addOption(option);
  return command;
}
