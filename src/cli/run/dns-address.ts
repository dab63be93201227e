import { parseEndpoint } from '../../adapters/probe/look-up.ts';
import { updateAddress, type UpdatedAddress } from '../../use-cases/dns/update-address.ts';
import type { PublishOptions } from './dns-publish.ts';
import type { CommandContext } from '../io.ts';
import { openSite } from '../open-site.ts';
import { jsonDocument } from '../print/json.ts';

export async function runDnsUpdateAddress(options: PublishOptions, context: CommandContext): Promise<void> {
  const { io } = context;
  const site = await openSite(options, context, 'dns-update-address');
  if (site === null) return;
  const resolver = options.resolver === undefined ? null : parseEndpoint(options.resolver, 53, '--resolver');
  const dry = options.dryRun === true;
  const result = await updateAddress({ site, resolver, dry, now: io.now(), signal: io.signal });
  if (options.json === true) io.out(jsonDocument('dns-update-address', { map: site.mapFile, ...result, done: !dry }));
  else io.out(`${words(result)}\n`);
  if (result.changed && dry) io.err('Nothing was changed.\nnext: mile-marker dns update-address\n');
  else io.err(result.changed ? 'next: mile-marker dns check --watch\n' : 'next: mile-marker install timers\n');
}

function words({ name, before, after, changed }: UpdatedAddress): string {
  if (!changed) return `${name} is still at ${after.join(' and ')}`;
  return `${name} changes from ${before.length === 0 ? 'no address' : before.join(' and ')} to ${after.join(' and ')}`;
}
