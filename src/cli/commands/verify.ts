import { Option } from 'commander';
import type { Severity } from '../../core/findings/finding.ts';
import {
  collect,
  Command,
  failOnOption,
  jsonOption,
  mapOption,
  parseCount,
  parseDuration,
  type CommandContext,
} from './context.ts';

export interface VerifyOptions {
  map?: string;
  json?: boolean;
  at?: string;
  fromAddress?: string;
  resolver?: string;
  openPorts?: boolean;
  trust?: string[];
  login?: string;
  frontLog?: string;
  junit?: string;
  since?: boolean;
  notify?: string[];
  verbose?: boolean;
  watch?: number;
  script?: boolean;
  read?: string;
  links?: boolean;
  timeout: number;
  parallel: number;
  failOn: Severity;
}

export function verify(context: CommandContext): Command {
  return new Command('verify')
    .description('drive every road from its name to its service, and say what is in the way')
    .argument('[road...]', 'only these roads, by full or short name')
    .addOption(mapOption())
    .option('--at <address[:port]>', 'drive this address before DNS points there (the port is the one for HTTPS)')
    .option('--from-address <address>', 'look from this address of this machine, which may have several')
    .option('--open-ports', 'also look for open ports that the map does not name, at addresses that are proven yours')
    .option('--resolver <address[:port]>', 'ask this resolver instead of the one of this machine')
    .option('--login <file>', 'a test login for gates with people: NAME:PASSWORD in a file with mode 0600')
    .option('--trust <file>', 'also trust the authorities in this PEM file (may be repeated)', collect)
    .option('--front-log <file>', "the front's error log, of which the last line about a road is quoted")
    .addOption(
      new Option('--timeout <time>', 'limit of each step on the network').argParser(parseDuration).default(5000, '5s'),
    )
    .addOption(new Option('--parallel <count>', 'steps on the network at one time').argParser(parseCount).default(8))
    .option('--verbose', 'also say what follows from a finding that is told, and is therefore not told itself')
    .addOption(
      new Option('--watch [time]', 'keep driving at this distance (60s), and print what comes and what goes')
        .argParser(parseDuration)
        .preset('60s'),
    )
    .option('--since', 'also say what came and what went since the last run over the whole map')
    .option('--junit <file>', 'write the outcome there too, in the XML that build servers read')
    .option(
      '--notify <word>',
      'a program to run when something came or went since the last run, without a shell; again for each of its arguments. It gets the JSON document on its standard input',
      collect,
    )
    .option('--links', 'print links to open on a phone, and what must be seen there; the front is not asked')
    .option('--script', 'print a shell script that looks from another machine; the front is not asked')
    .option('--read <file>', 'judge what that script printed there, instead of looking from here')
    .addOption(jsonOption())
    .addOption(failOnOption())
    .action(async (names: string[], options: VerifyOptions) => {
      const { runVerify } = await import('../run/verify.ts');
      await runVerify(names, options, context);
    });
}
