import { parseEndpoint } from '../../../adapters/probe/look-up.ts';
import { updateAddress, type UpdatedAddress } from '../../../use-cases/dns/update-address.ts';
import type { PublishOptions } from './dns-publish.ts';
import type { CommandContext } from '../../io.ts';
import { openSite } from '../../open-site.ts';
import { jsonDocument } from '../../print/json.ts';

export interface UpdateOptions extends PublishOptions {
  again?: boolean;
}

export async function runDnsUpdateAddress(options: UpdateOptions, context: CommandContext): Promise<void> {
  const { io } = context;
  const site = await openSite(options, context, 'dns-update-address');
  if (site === null) return;
  const resolver = options.resolver === undefined ? null : parseEndpoint(options.resolver, 53, '--resolver');
  const dry = options.dryRun === true;
  const again = options.again === true;
  const result = await updateAddress({ site, resolver, dry, again, now: io.now(), signal: io.signal });
  if (options.json === true) io.out(jsonDocument('dns-update-address', { map: site.mapFile, ...result, done: !dry }));
  else io.out(`${words(result)}\n`);
  if (result.changed && dry) io.err('Nothing was changed.\nnext: mile-marker dns update-address\n');
  else io.err(result.changed ? 'next: mile-marker dns check --watch\n' : 'next: mile-marker install timers\n');
}

function words({ name, before, after, changed, service }: UpdatedAddress): string {
  if (!changed) return `${name} is still at ${after.join(' and ')}`;
  if (service?.waits === true)
    return `${service.host} has ${after.join(' and ')} for ${name} since ${service.since}; the name servers do not show it yet`;
  return `${name} changes from ${before.length === 0 ? 'no address' : before.join(' and ')} to ${after.join(' and ')}`;
}
