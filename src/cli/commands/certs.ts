import { Option } from 'commander';
import {
  collect,
  Command,
  jsonOption,
  mapOption,
  noReloadOption,
  parseDuration,
  reloadOption,
} from './common-options.ts';
import type { ImportOptions, ExportOptions, MakeOptions } from '../run/names/certs.ts';
import type { ObtainOptions } from '../run/names/certs-obtain.ts';
import { alone } from '../alone.ts';
import type { CommandContext } from '../io.ts';

interface Options {
  map?: string;
  json?: boolean;
}

const shared = (): Option[] => [mapOption(), jsonOption()];

export function certs(context: CommandContext): Command {
  const list = withShared(new Command('list'))
    .description('list the certificates: names, expiry, roads (same as `certs` alone)')
    .action(async (options: Options) => {
      const { runCertsList } = await import('../run/names/certs.ts');
      await runCertsList(options, context);
    });
  const make = withShared(new Command('make'))
    .description('make missing or expiring practice certificates')
    .addOption(noReloadOption())
    .action(async (options: MakeOptions) => {
      const { runCertsMake } = await import('../run/names/certs.ts');
      await alone(options, 'certs make', context.io, () => runCertsMake(options, context));
    });
  const bring = withShared(new Command('import'))
    .description('import your own certificate: PEM files in any order, or PKCS#12')
    .addOption(noReloadOption())
    .argument('<files...>', 'certificate, key and intermediate certificates')
    .option('--as <certificate>', 'id of the certificate on the map (default: the one whose names it covers)')
    .option('--even-so', 'store it even if it is not valid now or does not cover all names')
    .option('--password-file <file>', 'file whose first line is the password (default: asks)')
    .action(async (files: string[], options: ImportOptions) => {
      const { runCertsImport } = await import('../run/names/certs.ts');
      await alone(options, 'certs import', context.io, () => runCertsImport(files, options, context));
    });
  const give = withShared(new Command('export'))
    .description('copy a certificate for another program, now and after each renewal')
    .argument('<certificate>', 'id of the certificate, as `certs` lists it')
    .requiredOption('--to <file>', 'target file: certificates and key together, unless --key is given')
    .option('--key <file>', 'write the key to a file of its own')
    .option(
      '--then <word>',
      'a program to run after each copy, without a shell; repeat the option for each argument',
      collect,
    )
    .action(async (id: string, options: ExportOptions) => {
      const { runCertsExport } = await import('../run/names/certs.ts');
      await alone({ ...options, leavesCutShort: true }, 'certs export', context.io, () =>
        runCertsExport(id, options, context),
      );
    });
  const obtain = withObtaining(new Command('obtain'))
    .description('get missing certificates from the authority on the map, or the named ones')
    .action(async (ids: string[], options: ObtainOptions) => {
      const { runCertsObtain } = await import('../run/names/certs-obtain.ts');
      await alone(options, 'certs obtain', context.io, () => runCertsObtain(ids, options, context));
    });
  const renew = withObtaining(new Command('renew'))
    .description('renew certificates that are due, or the named ones; meant for a timer')
    .option('--dry-run', 'only show what is due')
    .action(async (ids: string[], options: ObtainOptions) => {
      const { runCertsRenew } = await import('../run/names/certs-obtain.ts');
      await alone(options, 'certs renew', context.io, () => runCertsRenew(ids, options, context));
    });
  const whole = new Command('certs').description('list, make, get and renew certificates');
  whole.addCommand(list, { isDefault: true }).addCommand(make).addCommand(obtain).addCommand(renew);
  whole.addCommand(bring).addCommand(give);
  return whole;
}

function withObtaining(command: Command): Command {
  return withShared(command)
    .argument('[certificates...]', 'ids of certificates, as `certs` lists them')
    .option('--resolver <address>', 'resolver for questions about zones: ADDRESS[:PORT]')
    .addOption(reloadOption())
    .addOption(noReloadOption())
    .addOption(
      new Option('--wait <time>', 'how long to wait until every name server has a record')
        .argParser(parseDuration)
        .default(120_000, '2m'),
    )
    .option(
      '--then <word>',
      'program to run when something has changed, without a shell; repeat the option for each argument',
      collect,
    );
}

function withShared(command: Command): Command {
  for (const option of shared()) command.addOption(option);
  return command;
}
