import { homeNetworks } from '../../core/networks/home.ts';
import { withPort } from '../../core/networks/address.ts';
import type { Leads } from '../../core/map/site-map.ts';
import { partName } from '../../core/plan/parts.ts';
import type { PlannedLeads, PlannedRoad } from '../../core/plan/plan.ts';
import { whyNot } from '../../core/plan/why-not.ts';
import { partsOnRoads } from '../../core/rules/on-roads.ts';
import type { Site } from '../../use-cases/map/load.ts';
import type { CommandContext } from '../io.ts';
import { openSite, type OpenOptions } from '../open-site.ts';
import { jsonDocument } from '../print/json.ts';
import { plural, style } from '../print/style.ts';
import { table } from '../print/table.ts';

export async function runRoads(options: OpenOptions & { why?: boolean }, context: CommandContext): Promise<void> {
  const { io } = context;
  const site = await openSite(options, context, 'roads');
  if (site === null) return;
  const { roads, front } = site.plan;
  if (options.json === true) {
    io.out(jsonDocument('roads', { map: site.mapFile, front, roads: roads.map(asJson) }));
    return;
  }
  const paint = style(io.colour.out);
  const head = ['road', 'gate', 'leads to'].map((word) => paint.bold(word));
  const written = new Map(partsOnRoads(site).map(({ road, prefix, leads }) => [`${road.name}${prefix}`, leads]));
  const rows = roads.flatMap((road) =>
    // As the map has it: the road itself, then its parts.
    [...road.parts].reverse().map(({ prefix, leads }) => {
      const said = written.get(`${road.name}${prefix}`);
      const gate = road.paused ? `${road.gate.name}, paused` : road.gate.name;
      return [partName(road.display, prefix), prefix === '/' ? gate : '', leadsTo(leads, said, io.width)];
    }),
  );
  if (roads.length > 0) io.out(table(head, rows));
  if (options.why === true) io.out(`\n${reasons(site)}`);
  const unresolved = roads.some(({ parts }) =>
    parts.some(({ leads }) => leads.kind === 'service' && leads.upstream === null),
  );
  io.err(
    `${plural(roads.length, 'road')} through ${front.proxy} at ${[...front.addresses, ...front.names].join(', ')}.\n`,
  );
  io.err(unresolved ? 'next: mile-marker check (shows why an address is unknown)\n' : 'next: mile-marker check\n');
}

/** What the map says, and where that is dialled. */
function leadsTo(leads: PlannedLeads, written: Leads | undefined, width: number): string {
  if (leads.kind === 'redirect') {
    const short = leads.url.replace(/^https:\/\//, '');
    return `redirect (${String(leads.status)}) to${width < 100 ? '\n' : ' '}${short}`;
  }
  if (leads.kind === 'folder') return `folder ${leads.path}`;
  const said = written?.kind === 'service' ? `${written.service}:${String(written.port)} at ` : '';
  if (leads.upstream === null) return `${said}unknown`;
  const { scheme, host, port } = leads.upstream;
  return `${said}${scheme === 'https' ? 'https://' : ''}${withPort(host, port)}`;
}

/** Why each service is dialled where it is, and who `home` lets in. */
function reasons({ plan, map, host }: Site): string {
  const lines = plan.roads.flatMap(({ display, parts }) =>
    [...parts].reverse().flatMap(({ prefix, leads, resolution }) => {
      if (leads.kind !== 'service') return [];
      const why = leads.upstream?.why ?? (resolution === null ? '' : whyNot(resolution));
      return [`${partName(display, prefix)}: ${leads.upstream === null ? 'unknown, ' : ''}${why ?? ''}`];
    }),
  );
  const { networks, except } = homeNetworks(host, map.front.homeNetworks);
  const without = except.length === 0 ? '' : `, but not ${except.join(', ')} (the default gateway)`;
  const source =
    map.front.homeNetworks === null ? 'loopback and the networks this machine is on' : 'as `front.home-networks` says';
  return `${[...lines, `home is ${networks.join(', ')}${without}: ${source}`].join('\n')}\n`;
}

function asJson({ authority, ...road }: PlannedRoad): Record<string, unknown> {
  const { name, display, gate, paused, rules, where } = road;
  const parts = road.parts.map((part) => ({ prefix: part.prefix, leads: part.leads, where: part.where }));
  return { name, display, url: `https://${authority}`, gate, paused, rules, parts, where };
}
