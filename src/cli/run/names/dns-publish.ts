import { parseEndpoint } from '../../../adapters/probe/look-up.ts';
import { exit, Trouble } from '../../../adapters/trouble.ts';
import { recordLine } from '../../../core/records/change.ts';
import type { Site } from '../../../use-cases/map/load.ts';
import { carryOut, proposeRecords, proposeUndo, type Proposal } from '../../../use-cases/dns/publish-records.ts';
import type { CommandContext } from '../../io.ts';
import { openSite, type OpenOptions } from '../../open-site.ts';
import { jsonDocument } from '../../print/json.ts';
import { plural, style, wrap } from '../../print/style.ts';

export interface PublishOptions extends OpenOptions {
  resolver?: string;
  dryRun?: boolean;
  yes?: boolean;
}

export async function runDnsPublish(options: PublishOptions, context: CommandContext): Promise<void> {
  const site = await openSite(options, context, 'dns-publish');
  if (site === null) return;
  const proposal = await proposeRecords(site, resolverOf(options));
  if (proposal.zones.length === 0) {
    if (options.json === true) context.io.out(document(site, proposal, false));
    sayKept(proposal, context);
    context.io.err('The zones are already right. Nothing was changed.\nnext: mile-marker dns check\n');
    return;
  }
  await showAndCarryOut({ site, proposal, options, context });
}

export async function runDnsUndo(options: PublishOptions, context: CommandContext): Promise<void> {
  const site = await openSite(options, context, 'dns-undo');
  if (site === null) return;
  await showAndCarryOut({ site, proposal: await proposeUndo(site, resolverOf(options)), options, context });
}

function resolverOf({ resolver }: PublishOptions): ReturnType<typeof parseEndpoint> | null {
  return resolver === undefined ? null : parseEndpoint(resolver, 53, '--resolver');
}

interface Shown {
  site: Site;
  proposal: Proposal;
  options: PublishOptions;
  context: CommandContext;
}

async function showAndCarryOut({ site, proposal, options, context }: Shown): Promise<void> {
  const { io, setCode } = context;
  if (options.json !== true) io.out(difference(proposal, io.colour.out));
  sayKept(proposal, context);
  const { way } = proposal;
  if (way.isByHand || options.dryRun === true) {
    if (options.json === true) io.out(document(site, proposal, false));
    io.err(way.isByHand ? handWords : 'Nothing was changed.\nnext: mile-marker dns publish\n');
    return;
  }
  if (!(await agreed(options, context))) {
    io.err('Nothing was changed.\n');
    setCode(exit.interrupted);
    return;
  }
  await carryOut({ site, proposal, now: io.now(), signal: io.signal });
  if (options.json === true) io.out(document(site, proposal, true));
  const count = proposal.zones.flatMap(({ changes }) => changes).length;
  io.err(
    `${plural(count, 'set')} of records changed${way.server !== null ? `, and read back from ${way.server.address}` : ''}.\n`,
  );
  io.err(
    `next: mile-marker dns check --watch${proposal.act === 'publish' ? '\n      to undo it: mile-marker dns undo' : ''}\n`,
  );
}

const handWords =
  '`dns` in the map names no server and no program, so nothing was changed.\nnext: add the records at your DNS provider, then: mile-marker dns check\n';

async function agreed({ yes }: PublishOptions, { io }: CommandContext): Promise<boolean> {
  if (yes === true) return true;
  if (io.ask === null) {
    throw new Trouble({
      code: 'not-agreed',
      message: 'There is no terminal to ask on.',
      remedy: 'Check the difference above, then add --yes.',
      exitCode: exit.badInput,
    });
  }
  return /^y(es)?$/i.test((await io.ask('Change the zones like this? [y/N] ')).trim());
}

/** Lines that go and lines that come, by zone. A changed time to live shows as both. */
function difference({ zones }: Proposal, colour: boolean): string {
  const paint = style(colour);
  return zones
    .map(({ zone, server, changes }) => {
      const lines = changes.flatMap(({ before, after }) => {
        const [old, fresh] = [before.map(recordLine), after.map(recordLine)];
        const gone = old.filter((line) => !fresh.includes(line)).map((line) => paint.red(`- ${line}`));
        return [...gone, ...fresh.filter((line) => !old.includes(line)).map((line) => paint.green(`+ ${line}`))];
      });
      return `${paint.bold(zone)} at ${server.address}\n${lines.join('\n')}\n`;
    })
    .join('\n');
}

function sayKept({ kept }: Proposal, { io }: CommandContext): void {
  for (const note of kept) io.err(wrap(note, { width: io.width, first: 'note: ', indent: '      ' }));
}

function document({ mapFile }: Site, { act, zones, kept }: Proposal, done: boolean): string {
  return jsonDocument(act === 'publish' ? 'dns-publish' : 'dns-undo', { map: mapFile, done, zones, kept });
}
