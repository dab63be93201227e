import { resolve } from 'node:path';
import { writeOwn } from '../../../adapters/files/own-file.ts';
import { Trouble } from '../../../adapters/trouble.ts';
import { pictureOf } from '../../../core/report/picture.ts';
import type { Report } from '../../../core/report/report.ts';
import { countWords } from '../../../core/report/state.ts';
import { gatherReport } from '../../../use-cases/report/gather.ts';
import type { CommandContext, Io } from '../../io.ts';
import { openSite, type OpenOptions } from '../../open-site.ts';
import { plural, wrap } from '../../print/style.ts';
import { pageSign, reportPage } from '../../report/page.tsx';
import { drawingFile, drawingSign, pictureLabel } from '../../report/picture.tsx';
import { since } from '../../report/words.ts';

export interface ReportOptions extends OpenOptions {
  svg?: string;
  /** Milliseconds. */
  refresh?: number;
}

/** Writes the page, or only the drawing, from the map and from what runs of `verify` left. */
export async function runReport(
  file: string | undefined,
  { svg, refresh, ...options }: ReportOptions,
  context: CommandContext,
): Promise<void> {
  const { io } = context;
  refuseMixed(file, { svg, refresh });
  const site = await openSite(options, context, 'report');
  if (site === null) return;
  io.progress('gathering');
  const report = await gatherReport({ site, now: io.now(), env: io.env }).finally(() => io.progress(''));
  const path = svg ?? file ?? 'report.html';
  if (svg === undefined) await writePage(path, report, { refresh, io });
  else await writeOwn(resolve(io.cwd, svg), drawingFile(pictureOf(report.tree), pictureLabel(report)), drawingSign);
  io.err(wrap(`Written: ${path}. ${endWords(report)}`, { width: io.width }));
  io.err(report.newest === null ? 'next: mile-marker verify, then this again\n' : 'next: open it in a browser\n');
}

/** @param refresh milliseconds after which the page loads itself anew */
export async function writePage(
  path: string,
  report: Report,
  { refresh, io }: { refresh: number | undefined; io: Io },
): Promise<void> {
  const seconds = refresh === undefined ? null : Math.max(1, Math.round(refresh / 1000));
  await writeOwn(resolve(io.cwd, path), reportPage(report, seconds), pageSign);
}

function refuseMixed(
  file: string | undefined,
  { svg, refresh }: { svg: string | undefined; refresh: number | undefined },
): void {
  if (svg === undefined || (file === undefined && refresh === undefined)) return;
  throw new Trouble({
    code: 'options-apart',
    message: `--svg and ${file === undefined ? '--refresh' : 'a page'} cannot be combined.`,
    remedy: 'Write one after the other.',
    exitCode: 2,
  });
}

function endWords({ roads, newest, now }: Report): string {
  const what = `${plural(roads.length, 'road')}: ${countWords(roads.map(({ state }) => state))}.`;
  if (newest === null) return `${what} The roads have not been tested yet, so it shows only the map.`;
  return `${what} The newest run is ${since(now - Date.parse(newest.at))} old.`;
}
