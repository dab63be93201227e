import { Option } from 'commander';
import { Command, failOnOption, jsonOption, mapOption, parseDuration } from './common-options.ts';
import type { RecordsOptions } from '../run/names/dns-records.ts';
import type { DnsCheckOptions } from '../run/names/dns-check.ts';
import type { PublishOptions } from '../run/names/dns-publish.ts';
import type { UpdateOptions } from '../run/names/dns-address.ts';
import { alone } from '../alone.ts';
import type { CommandContext } from '../io.ts';

export function dns(context: CommandContext): Command {
  const records = new Command('records')
    .description('show the records that your zones need (style and ttl: `dns` in the map)')
    .addOption(mapOption())
    .addOption(
      new Option('--view <view>', 'for the internet, or for your home network (split DNS)')
        .choices(['public', 'home'])
        .default('public'),
    )
    .option('--zone', 'as a zone file')
    .option('--hosts', 'as lines of a hosts file')
    .addOption(jsonOption())
    .action(async (options: RecordsOptions) => {
      const { runDnsRecords } = await import('../run/names/dns-records.ts');
      await runDnsRecords(options, context);
    });
  const check = new Command('check')
    .description('ask all name servers of your zones and a resolver, and show what is wrong')
    .argument('[road...]', 'only these roads, by full or short name')
    .addOption(mapOption())
    .option('--resolver <address[:port]>', 'ask this resolver instead of the one of this machine')
    .addOption(
      new Option('--timeout <time>', 'time limit for each question').argParser(parseDuration).default(3000, '3s'),
    )
    .option('--watch', 'ask again until everything is right, or until Ctrl-C')
    .addOption(jsonOption())
    .addOption(failOnOption())
    .action(async (names: string[], options: DnsCheckOptions) => {
      const { runDnsCheck } = await import('../run/names/dns-check.ts');
      await runDnsCheck(names, options, context);
    });
  const publish = withPublishing(new Command('publish'))
    .description('change the zones to match `dns records`, as set under `dns` in the map')
    .action(async (options: PublishOptions) => {
      const { runDnsPublish } = await import('../run/names/dns-publish.ts');
      await alone({ ...options, leavesCutShort: true }, 'dns publish', context.io, () =>
        runDnsPublish(options, context),
      );
    });
  const undo = withPublishing(new Command('undo'))
    .description('undo the last `dns publish`')
    .action(async (options: PublishOptions) => {
      const { runDnsUndo } = await import('../run/names/dns-publish.ts');
      await alone({ ...options, leavesCutShort: true }, 'dns undo', context.io, () => runDnsUndo(options, context));
    });
  const update = new Command('update-address')
    .description('update the DNS record if your public address has changed; meant for a timer')
    .addOption(mapOption())
    .option('--resolver <address[:port]>', 'ask this resolver about zones')
    .option('--dry-run', 'only show what would change')
    .option('--again', 'try the service of `dns.update-url` again although it refused before')
    .addOption(jsonOption())
    .action(async (options: UpdateOptions) => {
      const { runDnsUpdateAddress } = await import('../run/names/dns-address.ts');
      await alone({ ...options, leavesCutShort: true }, 'dns update-address', context.io, () =>
        runDnsUpdateAddress(options, context),
      );
    });
  return new Command('dns')
    .description('show, check and publish DNS records')
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
    .option('--dry-run', 'only show the difference')
    .option('--yes', 'do not ask')
    .addOption(jsonOption());
}
