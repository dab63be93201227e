import { Option } from 'commander';
import { Command, mapOption, parseDuration } from './common-options.ts';
import type { ReportOptions } from '../run/verify/report.ts';
import type { CommandContext } from '../io.ts';

export function report(context: CommandContext): Command {
  return new Command('report')
    .description('write a page with all roads and their test results, in one file')
    .argument('[file]', 'the page (default: report.html)')
    .option('--svg <file>', 'write only the drawing of the roads')
    .addOption(new Option('--refresh <time>', 'make the page reload every TIME, such as 60s').argParser(parseDuration))
    .addOption(mapOption())
    .action(async (file: string | undefined, options: ReportOptions) => {
      const { runReport } = await import('../run/verify/report.ts');
      await runReport(file, options, context);
    });
}
