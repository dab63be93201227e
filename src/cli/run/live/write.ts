import { dirname } from 'node:path';
import { createTwoFilesPatch } from 'diff';
import { findMap, shownPath } from '../../../adapters/files/find-map.ts';
import { renewIdentity } from '../../../adapters/files/identity.ts';
import { statePaths } from '../../../adapters/files/state-folder.ts';
import { readCurrent, readEdition } from '../../../adapters/files/editions.ts';
import { writeStack } from '../../../adapters/files/stack-file.ts';
import { exit, Trouble } from '../../../adapters/trouble.ts';
import type { Finding } from '../../../core/findings/finding.ts';
import type { Plan } from '../../../core/plan/plan.ts';
import { shellWord } from '../../../core/shell-word.ts';
import { planChanges } from '../../../core/live/plan-changes.ts';
import { planPath, readPlan } from '../../../core/proxies/builtin/renderer.ts';
import { editionNumber } from '../../../core/proxies/edition.ts';
import { programOf } from '../../../core/proxies/programs.ts';
import { judgeSite, type Site } from '../../../use-cases/map/load.ts';
import { movingOf, type MovingOf } from '../../../use-cases/live/moving.ts';
import { writeCompose, type ComposeResult } from '../../../use-cases/live/write-compose.ts';
import { writeFiles, type FileChange, type WriteResult } from '../../../use-cases/live/write.ts';
import type { CommandContext, Io } from '../../io.ts';
import { openSite, type OpenOptions } from '../../open-site.ts';
import { countFindings, countsInWords, formatFindings } from '../../print/findings.ts';
import { jsonDocument } from '../../print/json.ts';
import { withCertificates } from '../../print/next-certificate.ts';
import { movingAsJson, movingWords } from '../../print/moving.ts';
import { plural, style, wrap } from '../../print/style.ts';

interface Options extends OpenOptions {
  out?: string;
  diff?: boolean;
  dryRun?: boolean;
  compose?: boolean;
  cluster?: boolean;
  newIdentity?: boolean;
}

export async function runWrite(options: Options, context: CommandContext): Promise<void> {
  const { io, setCode } = context;
  const dry = options.diff === true || options.dryRun === true;
  if (options.newIdentity === true && !dry)
    await renewIdentity(statePaths(await findMap({ option: options.map, cwd: io.cwd, env: io.env })));
  const site = await openSite({ ...options, frontAsMade: options.compose === true }, context, 'write');
  if (site === null) return;
  if (options.cluster === true && site.plan.front.cluster === null) throw noNodes();
  const findings = await judgeSite(site, { now: io.now(), env: io.env });
  const blocking = findings.filter(blocks);
  if (blocking.length > 0) {
    const summary = countFindings(blocking);
    if (options.json === true)
      io.out(jsonDocument('write', { map: site.mapFile, written: false, findings: blocking, summary }));
    else io.out(formatFindings(blocking, { width: io.width, colour: io.colour.out }));
    io.err(`\nNothing was written: ${countsInWords(summary)}.\nnext: fix the errors, then: mile-marker write\n`);
    setCode(exit.foundWrong);
    return;
  }
  const live = findings.filter(({ rule, severity }) => severity === 'error' && rule !== 'no-certificate');
  if (live.length > 0 && options.json !== true) {
    io.err(`${formatFindings(live, { width: io.width, colour: io.colour.err })}\n`);
  }
  const moving = await movingOf(site);
  const result = await writeFiles({ site, out: options.out, cwd: io.cwd, now: io.now(), dry });
  const compose =
    options.compose === true ? await writeCompose({ site, folder: result.folder, cwd: io.cwd, dry }) : null;
  const stack = options.cluster === true && !dry ? await stackAfter(site, result) : null;
  if (options.json === true) {
    io.out(
      jsonDocument('write', {
        ...{ map: site.mapFile, ...asJson(result), compose, stack, findings },
        moving: movingAsJson(moving),
      }),
    );
    return;
  }
  if (compose !== null) printCompose(compose, dry, io);
  if (stack !== null) io.out(`written ${shownPath(stack, io.cwd)}\n`);
  const { front, plan } = site;
  const container =
    front.kind === 'container' ? programOf(plan.front.proxy).words.reload({ container: front.name }) : null;
  const file = compose?.file ?? null;
  const start = file === null ? null : `${site.host.compose} -f ${shellWord(file.path)} up -d`;
  // What is only shown has changed no edition.
  const before = options.diff === true ? await planIn(result.folder) : null;
  printResult(result, { ...options, container, start, plan, moving, before }, io);
}

async function planIn(folder: string): Promise<Plan | null> {
  const current = await readCurrent(folder);
  return readPlan(current?.files.find(({ path }) => path === planPath)?.content ?? '');
}

function noNodes(): Trouble {
  return new Trouble({
    code: 'no-nodes',
    message: 'The map names no cluster nodes for the front, so there is no stack to write.',
    remedy: 'Name them under `front`: `nodes: [NODE, ...]`, with `cluster: true` at the top of the map.',
    exitCode: exit.badInput,
  });
}

/** @returns path of the stack file of what was written */
async function stackAfter({ mapFile }: Site, { folder, edition }: WriteResult): Promise<string> {
  return (await writeStack(await readEdition(folder, edition), mapFile)).path;
}

function printCompose({ file, ports }: ComposeResult, dry: boolean, io: Io): void {
  if (file === null) {
    io.err('The front needs no Compose file here. For one, write `container: NAME` under `front`, without `nodes`.\n');
  } else if (dry) io.out(file.text);
  else io.out(`${file.changed ? 'written' : 'same   '} ${file.path}\n`);
  if (ports.length === 0) return;
  io.out('\nports that bypass the front, and what to write instead:\n');
  for (const { service, file: where, line, written, instead } of ports) {
    const words = instead === null ? 'remove it: the front needs no published port' : `write    ${instead}`;
    io.out(`  ${where}:${String(line)}  ${service}\n    has      - ${written}\n    ${words}\n`);
  }
  io.out('\n');
}

/**
 * What does not stand in the way of writing: a name without a certificate gets the throwaway one, and what else answers
 * on this machine matters only when the files go live.
 */
const notBlocking = [
  'no-certificate',
  'front-port-taken',
  'name-already-served',
  'default-server-taken',
  'identity-shared',
  'served-not-known',
];

function blocks({ rule, severity }: Finding): boolean {
  return severity === 'error' && !notBlocking.includes(rule);
}

function printResult(
  result: WriteResult,
  options: Options & {
    container: string | null;
    start: string | null;
    plan: Plan;
    moving: MovingOf | null;
    before: Plan | null;
  },
  io: Io,
): void {
  const { changes, edition, written, folder, throwaway } = result;
  const number = editionNumber(edition);
  if (options.diff === true) printDifference(changes, { before: options.before, after: options.plan }, io);
  else printChanges(changes, io);
  // Behind the difference, which may be long.
  if (options.moving !== null) io.err(movingWords(options.moving, io.width));
  if (changes.length === 0) io.err(`Nothing changed. Edition ${number} matches the map already.\n`);
  else if (!written)
    io.err(`${plural(changes.length, 'file')} would change, as edition ${number}. Nothing was written.\n`);
  else
    io.err(
      `Edition ${number} is written, ${plural(changes.length, 'file')} changed: ${shownPath(folder, io.cwd)}/current\n`,
    );
  if (written && options.out === undefined)
    io.err(`What to set in each service: ${shownPath(dirname(folder), io.cwd)}/services\n`);
  const next = nextWords(result, options);
  if (throwaway.length === 0) return io.err(next);
  const missing = options.plan.certificates.filter(({ id }) => throwaway.includes(id));
  const words = wrap(`Browsers warn about these until they have a real certificate: ${throwaway.join(', ')}.`, {
    width: io.width,
  });
  io.err(words + withCertificates(missing, next));
}

function nextWords(
  { changes, written, includeLine, rawLine }: WriteResult,
  options: Options & { container: string | null; start: string | null; plan: Plan },
): string {
  if (!written) return changes.length === 0 ? 'next: mile-marker verify\n' : 'next: mile-marker write\n';
  if (options.plan.front.cluster !== null) return 'next: mile-marker install\n';
  if (options.container !== null) return containerWords(options.container, options.start);
  const { words } = programOf(options.plan.front.proxy);
  if (includeLine === null) return `next: ${words.first(options.plan.front)}\n`;
  return `next: ${words.first(options.plan.front)}\n${includeWords(includeLine, rawLine, words.reload(options.plan.front))}`;
}

function containerWords(again: string, start: string | null): string {
  return `next: ${start ?? 'mile-marker write --compose'}\n      if it is already running: ${again}\n`;
}

function includeWords(
  { line, where, apply }: NonNullable<WriteResult['includeLine']>,
  raw: WriteResult['rawLine'],
  reload: string,
): string {
  const more = raw === null ? '' : `      and for the raw ports this one ${raw.where}:\n      ${raw.line}\n`;
  return `      or by hand, once: add this line ${where}:\n      ${line}\n${more}      then: ${apply ?? reload}\n`;
}

/** One line a file; where much of one folder is in the same way, one line for all of that. `--json` has each. */
export function printChanges(changes: readonly FileChange[], io: Io): void {
  const alike = new Map<string, string[]>();
  for (const change of changes) {
    const { path } = change;
    const slash = path.lastIndexOf('/');
    const key = `${verb(change)} ${slash < 0 ? path : path.slice(0, slash + 1)}`;
    const paths = alike.get(key) ?? [];
    paths.push(path);
    alike.set(key, paths);
  }
  for (const [key, paths] of alike) {
    const many = paths.length > mostListed;
    const lines = many
      ? [`${key} (${plural(paths.length, 'file')})`]
      : paths.map((path) => `${key.slice(0, 7)} ${path}`);
    io.out(`${lines.join('\n')}\n`);
  }
}

const mostListed = 10;

function verb({ before, after }: FileChange): string {
  if (before === null) return 'new    ';
  return after === null ? 'gone   ' : 'changed';
}

/** First what changes on the map, then how the files of the server do. The plan itself is for programs. */
function printDifference(
  changes: readonly FileChange[],
  { before, after }: { before: Plan | null; after: Plan },
  io: Io,
): void {
  const lines = changes.length === 0 ? [] : planChanges(before, after);
  if (lines.length > 0) io.out(`${lines.join('\n')}\n`);
  const files = changes.filter(({ path }) => !path.endsWith('.json'));
  const isChanged = ({ before: from, after: to }: FileChange): boolean => from !== null && to !== null;
  printChanges(
    files.filter((one) => !isChanged(one)),
    io,
  );
  const patches = files.filter(isChanged).map((one) => patch(one, io.colour.out));
  io.out(`${lines.length > 0 && patches.length > 0 ? '\n' : ''}${patches.join('')}`);
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

function asJson({ folder, edition, written, changes, throwaway, includeLine }: WriteResult): Record<string, unknown> {
  return {
    folder,
    edition,
    written,
    throwaway,
    include: includeLine === null ? null : { line: includeLine.line, where: includeLine.where },
    changes: changes.map((change) => ({ path: change.path, change: verb(change).trim() })),
  };
}
