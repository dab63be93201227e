import { exit } from '../adapters/trouble.ts';
import type { ProxyName } from '../core/proxies/names.ts';
import { loadSite, type Site } from '../use-cases/map/load.ts';
import { sayCutShort } from './alone.ts';
import type { CommandContext } from './io.ts';
import { sayMap } from './said-map.ts';
import { countFindings, countsInWords, formatFindings } from './print/findings.ts';
import { askingWhatRuns, whileSlow } from './while-slow.ts';
import { jsonDocument } from './print/json.ts';

export interface OpenOptions {
  map?: string;
  json?: boolean;
  /** Take a front in a container as `write --compose` makes it, whatever networks it is on now. */
  frontAsMade?: boolean;
  /** In place of the one that the map says. */
  proxy?: ProxyName;
}

/**
 * Reads the map for a command and says which one it is. When it cannot be read the findings are printed, the exit code
 * is set to 2, and null comes back.
 */
export async function openSite(
  options: OpenOptions,
  { io, setCode }: CommandContext,
  format: string,
): Promise<Site | null> {
  const site = await whileSlow(askingWhatRuns, io, loadSite(options.map, io, options));
  await sayMap(options.map, site.mapFile, io);
  await sayCutShort(site.mapFile, io);
  if (site.map !== null) return site;
  const counts = countFindings(site.findings);
  if (options.json === true)
    io.out(jsonDocument(format, { map: site.mapFile, findings: site.findings, summary: counts }));
  else io.out(formatFindings(site.findings, { width: io.width, colour: io.colour.out }));
  io.err(`\nThe map has errors: ${countsInWords(counts)}.\nnext: fix the map, then run the same command again\n`);
  setCode(exit.badInput);
  return null;
}
