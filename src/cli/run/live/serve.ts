import { editionNumber } from '../../../core/proxies/edition.ts';
import { findMap } from '../../../adapters/files/find-map.ts';
import { statePaths, type StatePaths } from '../../../adapters/files/state-folder.ts';
import { exit, reasonOf, Trouble } from '../../../adapters/trouble.ts';
import { withPort } from '../../../core/networks/address.ts';
import type { Plan } from '../../../core/plan/plan.ts';
import { programOf } from '../../../core/proxies/programs.ts';
import { forgetServing, noteServing } from '../../../adapters/proxies/builtin/serving.ts';
import { judgeSite, loadSite } from '../../../use-cases/map/load.ts';
import { lastWritten, serve, serveNext } from '../../../use-cases/live/serve.ts';
import type { BuiltinFront } from '../../../builtin/server.ts';
import type { CommandContext, Io } from '../../io.ts';
import { sayMap } from '../../said-map.ts';
import { formatFindings } from '../../print/findings.ts';
import { plural } from '../../print/style.ts';

/** How long requests in flight may go on after Ctrl-C. */
const graceMs = 10_000;

interface Options {
  map?: string;
  written?: boolean;
}

export async function runServe(options: Options, context: CommandContext): Promise<void> {
  const { io } = context;
  const found = options.written === true ? await writtenPlan(options, io) : await planToServe(options, context);
  if (found === null) return;
  const { plan, paths, mapFile } = found;
  // From here on a signal is an order to end well.
  const stopped = aborted(io.signal);
  const say = (message: string): void => io.err(`${io.now().toISOString()} ${message}\n`);
  const front = await serve({ ...found, now: io.now(), onTrouble: say });
  // One after the other: whoever is told twice takes the newest up twice.
  let last = Promise.resolve();
  const next = (): void => void (last = last.then(() => takeUp(front, paths, io, say)));
  if (options.written === true) io.onTakeUp(next);
  // In a container the folder may be read-only, and nobody there looks for it.
  await noteServing(mapFile, options.written === true).catch(() => undefined);
  const { addresses, http, https } = plan.front.listen;
  for (const address of addresses)
    io.err(`listening on ${withPort(address, http)} (http) and ${withPort(address, https)} (https)\n`);
  io.err(`Serving ${plural(plan.roads.length, 'road')}.`);
  // In the background nobody is there to read on.
  if (options.written === true) io.err('\n');
  else io.err(' Ctrl-C stops; running requests are finished first.\nnext: in another terminal: mile-marker verify\n');
  await stopped;
  io.err('Stopping.\n');
  // What ends is told nothing any more.
  await forgetServing(mapFile).catch(() => undefined);
  await front.stop(graceMs);
}

/** What was written since is served from now on; when it cannot be, what was served goes on. */
async function takeUp(
  front: BuiltinFront,
  paths: StatePaths,
  io: Pick<Io, 'now'>,
  say: (message: string) => void,
): Promise<void> {
  try {
    const written = await lastWritten(paths);
    if (written === null) throw new Error('nothing is written for this proxy');
    await serveNext(front, { ...written, paths, now: io.now(), onTrouble: say });
    say(`serving edition ${editionNumber(written.edition)}`);
  } catch (error) {
    say(`the newer edition is not served: ${reasonOf(error)}`);
  }
}

/** Only what `write` left is looked at: in a container there may be neither the map nor an engine to ask. */
async function writtenPlan(
  { map }: Options,
  { cwd, env }: CommandContext['io'],
): Promise<{ plan: Plan; paths: StatePaths; mapFile: string; mark?: string }> {
  const mapFile = await findMap({ option: map, cwd, env });
  const paths = statePaths(mapFile);
  const written = await lastWritten(paths);
  if (written !== null) return { ...written, paths, mapFile };
  const message = `Nothing is written yet for Mile Marker's own proxy in ${paths.front}.`;
  throw new Trouble({ code: 'nothing-written', message, remedy: 'Write it: mile-marker write', exitCode: 2 });
}

/**
 * The plan of the map; when the map cannot be read, the one that was last written. After a reboot nobody is there to repair
 * a map: what was sound goes on being served, and the findings say what is not.
 */
async function planToServe(
  options: { map?: string },
  { io, setCode }: CommandContext,
): Promise<{ plan: Plan; paths: StatePaths; mapFile: string } | null> {
  const site = await loadSite(options.map, io);
  await sayMap(options.map, site.mapFile, io);
  const findings = site.map === null ? site.findings : await judgeSite(site, { now: io.now(), env: io.env });
  const errors = findings.filter(({ severity }) => severity === 'error');
  if (errors.length > 0) io.err(`${formatFindings(errors, { width: io.width, colour: io.colour.err })}\n`);
  if (site.map !== null) return isForUs(site.plan) ? site : refuse(site.plan);
  const paths = statePaths(site.mapFile);
  const written = await lastWritten(paths);
  if (written === null) {
    io.err('The map has errors, and nothing was written before.\nnext: fix the map, then: mile-marker serve\n');
    setCode(exit.badInput);
    return null;
  }
  io.err(`The map has errors. Serving edition ${editionNumber(written.edition)}, which was written last.\n`);
  return { plan: written.plan, paths, mapFile: site.mapFile };
}

/** What the map gives to another program is not for us to serve: two would want the same ports. */
function isForUs({ front }: Plan): boolean {
  return front.proxy === 'builtin';
}

function refuse({ front }: Plan): never {
  const { title, words } = programOf(front.proxy);
  throw new Trouble({
    code: 'serve-other-proxy',
    message: `The map says \`proxy: ${front.proxy}\`, and \`serve\` is Mile Marker's own proxy.`,
    remedy: `To have ${title} serve the map: ${words.first(front)}. To serve it here, write in the map: \`proxy: builtin\``,
    exitCode: exit.badInput,
  });
}

function aborted(signal: AbortSignal): Promise<void> {
  return new Promise((resolve) => {
    if (signal.aborted) resolve();
    else signal.addEventListener('abort', () => resolve(), { once: true });
  });
}
