import { Option } from 'commander';
import type { Severity } from '../../core/findings/finding.ts';
import { Command, failOnOption, jsonOption, mapOption, parseDuration, type CommandContext } from './context.ts';

interface Options {
  map?: string;
  json?: boolean;
}

export interface RecordsOptions extends Options {
  view: 'public' | 'home';
  zone?: boolean;
  hosts?: boolean;
}

export interface DnsCheckOptions extends Options {
  resolver?: string;
  timeout: number;
  watch?: boolean;
  failOn: Severity;
}

export interface PublishOptions extends Options {
  resolver?: string;
  dryRun?: boolean;
  yes?: boolean;
}

export function dns(context: CommandContext): Command {
  const records = new Command('records')
    .description('what must stand in the zones (the style and the time to live are under `dns` in the map)')
    .addOption(mapOption())
    .addOption(
      new Option('--view <view>', 'as seen from everywhere, or from home (split naming)')
        .choices(['public', 'home'])
        .default('public'),
    )
    .option('--zone', 'as a zone file')
    .option('--hosts', 'as lines of a hosts file')
    .addOption(jsonOption())
    .action(async (options: RecordsOptions) => {
      const { runDnsRecords } = await import('../run/dns-records.ts');
      await runDnsRecords(options, context);
    });
  const check = new Command('check')
    .description('ask every name server of the zones, and a resolver, and say what is not right')
    .argument('[road...]', 'only these roads, by full or short name')
    .addOption(mapOption())
    .option('--resolver <address[:port]>', 'ask this resolver instead of the one of this machine')
    .addOption(new Option('--timeout <time>', 'limit of each question').argParser(parseDuration).default(3000, '3s'))
    .option('--watch', 'ask again until everything is right, or until Ctrl-C')
    .addOption(jsonOption())
    .addOption(failOnOption())
    .action(async (names: string[], options: DnsCheckOptions) => {
      const { runDnsCheck } = await import('../run/dns-check.ts');
      await runDnsCheck(names, options, context);
    });
  const publish = withPublishing(new Command('publish'))
    .description('bring the zones to what `dns records` says, by the way that stands under `dns` in the map')
    .action(async (options: PublishOptions) => {
      const { runDnsPublish } = await import('../run/dns-publish.ts');
      await runDnsPublish(options, context);
    });
  const undo = withPublishing(new Command('undo'))
    .description('take back what the last `dns publish` changed')
    .action(async (options: PublishOptions) => {
      const { runDnsUndo } = await import('../run/dns-publish.ts');
      await runDnsUndo(options, context);
    });
  const update = new Command('update-address')
    .description('learn the public address and change its one record when it has moved; meant for a timer')
    .addOption(mapOption())
    .option('--resolver <address[:port]>', 'ask this resolver about zones')
    .option('--dry-run', 'say what would change, and change nothing')
    .addOption(jsonOption())
    .action(async (options: PublishOptions) => {
      const { runDnsUpdateAddress } = await import('../run/dns-address.ts');
      await runDnsUpdateAddress(options, context);
    });
  return new Command('dns')
    .description('names: what must stand in DNS, what does, and bringing it there')
    .addCommand(records)
    .addCommand(check)
    .addCommand(publish)
    .addCommand(undo)
    .addCommand(update);
}

function withPublishing(command: Command): Command {
  return command
    .addOption(mapOption())
    .option('--resolver <address[:port]>', 'ask this resolver about zones')
    .option('--dry-run', 'show the difference, and change nothing')
    .option('--yes', 'do not ask')
    .addOption(jsonOption());
}
