import { homeNetworks } from '../../../core/networks/home.ts';
import { withPort } from '../../../core/networks/address.ts';
import { checkOf, type GatePart, type PlannedGate } from '../../../core/gates/check.ts';
import { without } from '../../../core/without.ts';
import { titleOf } from '../../../core/inventory/inventory.ts';
import type { Leads } from '../../../core/map/site-map.ts';
import { partName } from '../../../core/plan/parts.ts';
import type { PlannedLeads, PlannedPort, PlannedRoad } from '../../../core/plan/plan.ts';
import { whyNot } from '../../../core/plan/why-not.ts';
import { leadsOnMap, partsOnRoads, type OnMap } from '../../../core/rules/on-roads.ts';
import type { Site } from '../../../use-cases/map/load.ts';
import { readNewest } from '../../../adapters/files/runs.ts';
import { roadStatesOf } from '../../../core/report/report.ts';
import { treeOf } from '../../../core/report/tree.ts';
import type { CommandContext, Io } from '../../io.ts';
import { openSite, type OpenOptions } from '../../open-site.ts';
import { jsonDocument } from '../../print/json.ts';
import { plural, style } from '../../print/style.ts';
import { table } from '../../print/table.ts';
import { formatTree } from '../../print/tree.ts';

export interface RoadsOptions extends OpenOptions {
  why?: boolean;
  tree?: boolean;
}

export async function runRoads(options: RoadsOptions, context: CommandContext): Promise<void> {
  const { io } = context;
  const site = await openSite(options, context, 'roads');
  if (site === null) return;
  const { roads, ports, front } = site.plan;
  if (options.json === true) {
    io.out(jsonDocument('roads', { map: site.mapFile, front, roads: roads.map(asJson), ports: ports.map(portAsJson) }));
    return;
  }
  if (options.tree === true) {
    await printTree(site, io);
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
      return [partName(road.display, prefix), prefix === '/' ? gate : '', leadsTo(leads, said)];
    }),
  );
  const said = new Map(leadsOnMap(site).map(({ name, leads }) => [name, leads]));
  const raw = ports.map((port) => [port.name, port.gate.name, passedTo(port, said.get(port.name))]);
  if (rows.length + raw.length > 0) io.out(table(head, [...rows, ...raw], io.width));
  if (options.why === true) io.out(`\n${reasons(site)}`);
  const unresolved =
    ports.some(({ to }) => to === null) ||
    roads.some(({ parts }) => parts.some(({ leads }) => leads.kind === 'service' && leads.upstream === null));
  const and = ports.length === 0 ? '' : ` and ${plural(ports.length, 'raw port')}`;
  io.err(
    `${plural(roads.length, 'road')}${and} through ${front.proxy} at ${[...front.addresses, ...front.names].join(', ')}.\n`,
  );
  io.err(unresolved ? 'next: mile-marker check (shows why an address is unknown)\n' : 'next: mile-marker check\n');
}

/** The same as the drawing of `report`, with what the newest run saw. */
async function printTree({ plan, paths }: Site, io: Io): Promise<void> {
  const newest = await readNewest(paths);
  const states = roadStatesOf(plan, newest);
  io.out(
    formatTree(
      treeOf(plan, (name) => states.get(name) ?? 'unknown'),
      { width: io.width, colour: io.colour.out },
    ),
  );
  io.err(
    newest === null
      ? 'The roads have not been tested yet.\nnext: mile-marker verify\n'
      : `Test results of ${newest.at.slice(0, 16).replace('T', ' ')} UTC.\nnext: mile-marker report (as a page, with every result)\n`,
  );
}

/** What the map says, and where that is dialled. */
function leadsTo(leads: PlannedLeads, written: Leads | undefined): string {
  if (leads.kind === 'redirect') {
    const short = leads.url.replace(/^https:\/\//, '');
    return `redirect (${String(leads.status)}) to ${short}`;
  }
  if (leads.kind === 'folder') return `folder ${leads.path}`;
  const said = saidOf(written);
  if (leads.upstream === null) return `${said}unknown`;
  const { scheme, host, port } = leads.upstream;
  return `${said}${scheme === 'https' ? 'https://' : ''}${withPort(host, port)}`;
}

/** A service as the map names it, without its project. */
function saidOf(written: OnMap['leads'] | undefined): string {
  if (written?.kind !== 'service') return '';
  const { service: name, machine, port } = written;
  return `${titleOf({ project: null, name, machine })}:${String(port)} at `;
}

/** The same of a raw port, and what is done on the way. */
function passedTo({ to, tls, tellsVisitor }: PlannedPort, written: OnMap['leads'] | undefined): string {
  const said = saidOf(written);
  const on = [...(tls === null ? [] : [`TLS ends here: ${tls.name}`]), ...(tellsVisitor ? ['PROXY protocol'] : [])];
  const how = on.length === 0 ? '' : ` (${on.join(', ')})`;
  return `${said}${to === null ? 'unknown' : withPort(to.host, to.port)}${how}`;
}

/** Why each service is dialled where it is, and who `home` lets in. */
function reasons({ plan, map, host }: Site): string {
  const labels = new Map(map.roads.map(({ name, fromLabel }) => [name, fromLabel]));
  const lines = plan.roads.flatMap(({ name, display, parts }) =>
    [...parts].reverse().flatMap(({ prefix, leads, resolution }) => {
      if (leads.kind !== 'service') return [];
      const why = leads.upstream?.why ?? (resolution === null ? '' : whyNot(resolution));
      const label = labels.get(name) ?? null;
      const by = label === null ? '' : `; on the map by the label of ${label}`;
      return [`${partName(display, prefix)}: ${leads.upstream === null ? 'unknown, ' : ''}${why ?? ''}${by}`];
    }),
  );
  const ofPorts = plan.ports.map(({ name, to, resolution }) => {
    const why = to?.why ?? (resolution === null ? '' : whyNot(resolution));
    return `${name}: ${to === null ? 'unknown, ' : ''}${why ?? ''}`;
  });
  const { networks, except } = homeNetworks(host, map.front.homeNetworks);
  const without = except.length === 0 ? '' : `, but not ${except.join(', ')} (the default gateway)`;
  const source =
    map.front.homeNetworks === null ? 'loopback and the networks of this machine' : 'as `front.home-networks` says';
  return `${[...lines, ...ofPorts, `home is ${networks.join(', ')}${without}: ${source}`].join('\n')}\n`;
}

/** A key for each kind of check: null where the gate does not ask for it. */
function gateAsJson({ name, parts }: PlannedGate): Record<string, unknown> {
  const kinds = (part: GatePart): Record<string, unknown> => {
    const networks = checkOf(part, 'networks');
    const devices = checkOf(part, 'devices');
    return {
      networks: networks === null ? null : without(networks, 'kind'),
      devices: devices === null ? null : (devices.names ?? []),
      people: checkOf(part, 'people')?.file ?? null,
      asks: checkOf(part, 'asks')?.said ?? null,
    };
  };
  return { name, parts: parts.map((part) => ({ ...without(part, 'checks'), ...kinds(part) })) };
}

function portAsJson({
  name,
  port,
  protocol,
  gate,
  to,
  tls,
  tellsVisitor,
  where,
}: PlannedPort): Record<string, unknown> {
  return { name, port, protocol, gate: gateAsJson(gate), to, tls, proxyProtocol: tellsVisitor, where };
}

function asJson({ authority, ...road }: PlannedRoad): Record<string, unknown> {
  const { name, display, gate, paused, rules, where } = road;
  const parts = road.parts.map((part) => ({ prefix: part.prefix, leads: part.leads, where: part.where }));
  return { name, display, url: `https://${authority}`, gate: gateAsJson(gate), paused, rules, parts, where };
}
