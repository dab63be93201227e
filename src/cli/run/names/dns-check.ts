import type { Severity } from '../../../core/findings/finding.ts';
import { setMaxListeners } from 'node:events';
import { dirname } from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import { parseEndpoint } from '../../../adapters/probe/look-up.ts';
import { exit } from '../../../adapters/trouble.ts';
import { reaches } from '../../../core/findings/finding.ts';
import type { ZoneReader } from '../../../adapters/dns/zone.ts';
import { checkDns, type CheckedDns } from '../../../use-cases/dns/check-dns.ts';
import type { Site } from '../../../use-cases/map/load.ts';
import { byHand } from '../../../adapters/records/by-hand.ts';
import { recordWay } from '../../../adapters/records/ways.ts';
import { readerFor } from '../../../use-cases/dns/reader.ts';
import { chosenRoads } from '../../../use-cases/map/chosen-roads.ts';
import type { CommandContext } from '../../io.ts';
import { labelOf } from '../../../core/legs/label.ts';
import { openSite, type OpenOptions } from '../../open-site.ts';
import { formatDns } from '../../print/dns.ts';
import { countFindings, countsInWords } from '../../print/findings.ts';
import { jsonDocument } from '../../print/json.ts';
import { plural, wrap } from '../../print/style.ts';

export interface DnsCheckOptions extends OpenOptions {
  resolver?: string;
  timeout: number;
  watch?: boolean;
  failOn: Severity;
}

export async function runDnsCheck(names: string[], options: DnsCheckOptions, context: CommandContext): Promise<void> {
  const { io, setCode } = context;
  const site = await openSite(options, context, 'dns-check');
  if (site === null) return;
  setMaxListeners(0, io.signal);
  const roads = chosenRoads(site.plan, names);
  const reader = await readerOf(site, options);
  const look = (): Promise<CheckedDns> =>
    checkDns({ site, names: roads.map(({ name }) => name), reader, signal: io.signal, onProgress });
  const onProgress = (done: number, of: number): void => {
    io.progress(done === of ? '' : `asking: ${String(done)} of ${plural(of, 'name')}`);
  };
  const result = options.watch === true ? await untilRight(look, options, context) : await look();
  if (options.json === true) io.out(jsonDocument('dns-check', { map: site.mapFile, ...asJson(result) }));
  else io.out(formatDns(result, { width: io.width, colour: io.colour.out }));
  if (result.notSeen !== null) io.err(wrap(result.notSeen, { width: io.width, first: 'note: ', indent: '      ' }));
  const summary = countsInWords(countFindings(result.findings));
  const right = result.names.filter(({ result: { outcome } }) => outcome === 'ok').length;
  if (result.findings.length > 0) io.err('\n');
  io.err(`${String(right)} of ${plural(result.names.length, 'name')} right; ${summary}.\n${nextStep(result, site)}`);
  if (reaches(result.findings, options.failOn)) setCode(exit.foundWrong);
}

async function readerOf(site: Site, { resolver, timeout }: DnsCheckOptions): Promise<ZoneReader> {
  const given = resolver === undefined ? null : parseEndpoint(resolver, 53, '--resolver');
  // The server for updates knows its own zones only, so it is no resolver here.
  const way = given === null ? byHand : await recordWay(site.map.dns, dirname(site.mapFile));
  return { ...readerFor(given, way), timeoutMs: timeout };
}

const firstPauseMs = 5000;
const longestPauseMs = 60_000;

/** Asks at growing intervals and says what has changed, until nothing is wrong. */
async function untilRight(
  look: () => Promise<CheckedDns>,
  { failOn }: DnsCheckOptions,
  { io }: CommandContext,
): Promise<CheckedDns> {
  let before = '';
  for (let wait = firstPauseMs; ; wait = Math.min(wait * 1.5, longestPauseMs)) {
    const result = await look();
    const open = result.names.filter(({ result: { outcome } }) => outcome !== 'ok');
    const words = open.map(({ name, result }) => `${name} ${labelOf(result)}`).join('; ');
    if (!reaches(result.findings, failOn) && open.length === 0) return result;
    if (words !== before) io.err(`${io.now().toISOString().slice(11, 19)} ${words}\n`);
    before = words;
    await pause(wait, undefined, { signal: io.signal });
  }
}

function asJson({ names, findings, picture, expected, notSeen }: CheckedDns): Record<string, unknown> {
  const judged = names.map(({ name, result }) => ({
    name,
    outcome: result.outcome,
    kind: result.kind,
    says: labelOf(result),
  }));
  return { expected, names: judged, zones: picture.zones, heard: picture.names, notSeen, findings };
}

function nextStep({ findings }: CheckedDns, { map }: Site): string {
  const bad = findings.filter(({ severity }) => severity !== 'note');
  if (bad.length === 0) return 'next: mile-marker verify\n';
  if (bad.every(({ rule }) => rule === 'dns-cached'))
    return 'next: mile-marker dns check --watch (waits until it is over)\n';
  const byHand = map.dns.server === null && map.dns.program === null;
  return byHand ? 'next: mile-marker dns records (shows the records needed)\n' : 'next: mile-marker dns publish\n';
}
