import { Option } from 'commander';
import { collect, Command, failOnOption, jsonOption, mapOption, parseCount, parseDuration } from './common-options.ts';
import type { VerifyOptions } from '../run/verify/verify-options.ts';
import type { CommandContext } from '../io.ts';

export function verify(context: CommandContext): Command {
  return new Command('verify')
    .description('test every road from its name to its service, and show what is wrong')
    .argument('[road...]', 'only these roads, by full or short name')
    .addOption(mapOption())
    .option('--at <address[:port]>', 'test this address before DNS points there (the port is the one for HTTPS)')
    .option('--from-address <address>', 'test from this address of this machine, which may have several')
    .option('--open-ports', 'also look for open ports that are not on the map, at addresses proven to be yours')
    .option('--thorough', 'also send whole uploads of up to 8 MiB, and keep live connections quiet for a minute')
    .option('--resolver <address[:port]>', 'ask this resolver instead of the one of this machine')
    .option('--login <file>', 'a test login for gates with people: NAME:PASSWORD in a file with mode 0600')
    .option('--trust <file>', 'also trust the authorities in this PEM file (may be repeated)', collect)
    .option('--front-log <file>', "the front's error log; its last line about a road is quoted")
    .addOption(
      new Option('--timeout <time>', 'time limit for each step on the network')
        .argParser(parseDuration)
        .default(5000, '5s'),
    )
    .addOption(new Option('--parallel <count>', 'number of network steps at a time').argParser(parseCount).default(8))
    .option('--verbose', 'also show findings caused by others')
    .addOption(
      new Option('--watch [time]', 'test again every TIME (60s), and print new and fixed findings')
        .argParser(parseDuration)
        .preset('60s'),
    )
    .option('--since', 'also show new and fixed findings since the last run over the whole map')
    .option('--junit <file>', 'also write the results to this file, as the XML that build servers read')
    .option('--report <file>', 'also write the page of `report`; with --watch it reloads itself')
    .option('--metrics <file>', 'also write the results to this file as OpenMetrics, for a collector of text files')
    .option(
      '--notify <word>',
      'a program to run when there are new or fixed findings, without a shell; repeat the option for each argument. It reads the JSON document on its standard input',
      collect,
    )
    .option(
      '--mail <address>',
      'with --since: write to this address, or user of this machine, when there are new or fixed findings',
    )
    .option('--links', 'print links to open on a phone, and what you should see; does not contact the front')
    .option('--script', 'print a shell script to run on another machine; does not contact the front')
    .option('--read <file>', 'judge the output of that script instead of testing from here')
    .addOption(jsonOption())
    .addOption(failOnOption())
    .action(async (names: string[], options: VerifyOptions) => {
      const { runVerify } = await import('../run/verify/verify.ts');
      await runVerify(names, options, context);
    });
}
