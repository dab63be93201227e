import { createTwoFilesPatch } from 'diff';
import { shownPath } from '../../adapters/files/find-map.ts';
import { exit } from '../../adapters/trouble.ts';
import type { Finding } from '../../core/findings/finding.ts';
import { judgeSite } from '../../use-cases/load.ts';
import { writeFiles, type FileChange, type WriteResult } from '../../use-cases/write.ts';
import type { CommandContext } from '../commands/context.ts';
import type { Io } from '../io.ts';
import { openSite, type OpenOptions } from '../open-site.ts';
import { countFindings, countsInWords, formatFindings } from '../print/findings.ts';
import { jsonDocument } from '../print/json.ts';
import { plural, style } from '../print/style.ts';

interface Options extends OpenOptions {
  out?: string;
  diff?: boolean;
  dryRun?: boolean;
}

export async function runWrite(options: Options, context: CommandContext): Promise<void> {
  const { io, setCode } = context;
  const site = await openSite(options, context, 'write');
  if (site === null) return;
  const findings = await judgeSite(site, { now: io.now(), env: io.env });
  const blocking = findings.filter(blocks);
  if (blocking.length > 0) {
    const summary = countFindings(blocking);
    if (options.json === true)
      io.out(jsonDocument('write', { map: site.mapFile, written: false, findings: blocking, summary }));
    else io.out(formatFindings(blocking, { width: io.width, colour: io.colour.out }));
    io.err(`\nNothing is written: ${countsInWords(summary)}.\nnext: mend the map, then write again\n`);
    setCode(exit.foundWrong);
    return;
  }
  const live = findings.filter(({ rule, severity }) => severity === 'error' && rule !== 'no-certificate');
  if (live.length > 0 && options.json !== true) {
    io.err(`${formatFindings(live, { width: io.width, colour: io.colour.err })}\n`);
  }
  const dry = options.diff === true || options.dryRun === true;
  const result = await writeFiles({ site, out: options.out, cwd: io.cwd, now: io.now(), dry });
  if (options.json === true) io.out(jsonDocument('write', { map: site.mapFile, ...asJson(result), findings }));
  else printResult(result, options, io);
}

/**
 * What does not stand in the way of writing: a name without a certificate gets the throwaway one, and what else answers
 * on this machine matters only when the files go live.
 */
const notBlocking = ['no-certificate', 'front-port-taken', 'name-already-served', 'default-server-taken'];

function blocks({ rule, severity }: Finding): boolean {
  return severity === 'error' && !notBlocking.includes(rule);
}

function printResult(result: WriteResult, options: Options, io: Io): void {
  const { changes, generation, written, folder, throwaway, includeLine } = result;
  const number = String(generation).padStart(4, '0');
  if (options.diff === true) io.out(changes.map((change) => patch(change, io.colour.out)).join(''));
  else for (const change of changes) io.out(`${verb(change)} ${change.path}\n`);
  if (changes.length === 0) io.err(`Nothing changed: generation ${number} is what the map says.\n`);
  else if (!written)
    io.err(`${plural(changes.length, 'file')} would change, as generation ${number}. Nothing was written.\n`);
  else
    io.err(
      `Generation ${number} is written, ${plural(changes.length, 'file')} changed: ${shownPath(folder, io.cwd)}/current\n`,
    );
  if (throwaway.length > 0) {
    io.err(
      `${plural(throwaway.length, 'name')} got a throwaway certificate, which browsers refuse.\nnext: mile-marker certs make\n`,
    );
  } else if (written) {
    io.err(includeLine === null ? 'next: mile-marker serve\n' : includeWords(includeLine));
  } else {
    io.err(changes.length === 0 ? 'next: mile-marker verify\n' : 'next: mile-marker write\n');
  }
}

function includeWords({ line, where }: { line: string; where: string }): string {
  return `next: have this line once ${where}, then test and reload: nginx -t && nginx -s reload\n      ${line}\n`;
}

function verb({ before, after }: FileChange): string {
  if (before === null) return 'new    ';
  return after === null ? 'gone   ' : 'changed';
}

function patch({ path, before, after }: FileChange, colour: boolean): string {
  const paint = style(colour);
  const text = createTwoFilesPatch(
    before === null ? '/dev/null' : path,
    after === null ? '/dev/null' : path,
    before ?? '',
    after ?? '',
    undefined,
    undefined,
    { context: 3 },
  );
  return text
    .split('\n')
    .filter((line) => !/^(=+$|Index: )/.test(line))
    .map((line) => (line.startsWith('+') ? paint.green(line) : line.startsWith('-') ? paint.red(line) : line))
    .join('\n');
}

function asJson({
  folder,
  generation,
  written,
  changes,
  throwaway,
  includeLine,
}: WriteResult): Record<string, unknown> {
  return {
    folder,
    generation,
    written,
    throwaway,
    include: includeLine,
    changes: changes.map((change) => ({ path: change.path, change: verb(change).trim() })),
  };
}
