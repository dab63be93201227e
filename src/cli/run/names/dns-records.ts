import { durationText } from '../../../core/map/units.ts';
import { exit, Trouble } from '../../../adapters/trouble.ts';
import { wantedRecords } from '../../../core/records/wanted.ts';
import { hostsText, zoneText } from '../../../core/records/zone.ts';
import type { CommandContext } from '../../io.ts';
import { openSite, type OpenOptions } from '../../open-site.ts';
import { jsonDocument } from '../../print/json.ts';
import { plural, style, wrap } from '../../print/style.ts';
import { table } from '../../print/table.ts';
import { shownPath } from '../../../adapters/files/find-map.ts';

export interface RecordsOptions extends OpenOptions {
  view: 'public' | 'home';
  zone?: boolean;
  hosts?: boolean;
}

export async function runDnsRecords(options: RecordsOptions, context: CommandContext): Promise<void> {
  const { io } = context;
  const site = await openSite(options, context, 'dns-records');
  if (site === null) return;
  const { plan, map } = site;
  const { view } = options;
  if (view === 'home' && plan.front.home.length === 0) {
    throw new Trouble({
      code: 'no-home-address',
      message: 'The map has no home address of the front.',
      remedy: 'Add it under `front`, such as: home: [192.168.64.10]',
      exitCode: exit.badInput,
    });
  }
  // A hosts file knows addresses only, so every name stands there by itself.
  const dns = options.hosts === true ? { ...map.dns, style: 'addresses' as const } : map.dns;
  const { zones, notes } = wantedRecords({ plan, dns, acme: map.acme, view });
  const records = zones.flatMap((zone) => zone.records);
  if (options.json === true) io.out(jsonDocument('dns-records', { map: site.mapFile, view, zones, notes }));
  else if (options.zone === true) io.out(zoneText({ zones, map: shownPath(site.mapFile, io.cwd), view }));
  else if (options.hosts === true) io.out(hostsText(zones));
  else {
    const paint = style(io.colour.out);
    const head = ['name', 'type', 'value', 'time to live'].map((word) => paint.bold(word));
    const rows = records.map(({ name, type, data, ttlSeconds }) => [name, type, data, durationText(ttlSeconds * 1000)]);
    io.out(table(head, rows));
  }
  for (const note of notes) io.err(wrap(note, { width: io.width, first: 'note: ', indent: '      ' }));
  const count = `${plural(records.length, 'record')} in ${plural(zones.length, 'zone')}`;
  const next =
    map.dns.server === null && map.dns.program === null
      ? 'add them at your DNS provider, then:'
      : 'mile-marker dns publish, then:';
  io.err(`${count}, ${view === 'home' ? 'for your home network' : 'for the internet'}.\n`);
  io.err(view === 'home' ? 'next: add them to the resolver at home\n' : `next: ${next} mile-marker dns check\n`);
}
