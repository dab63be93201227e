import { filesOf } from '../../../core/gates/check.ts';
import { readCurrent } from '../../../adapters/files/editions.ts';
import { chooseCost, hashPassword } from '../../../adapters/people/hash.ts';
import { whyWeak } from '../../../adapters/people/strength.ts';
import { fits } from '../../../adapters/people/verify-hash.ts';
import { shownPath } from '../../../adapters/files/find-map.ts';
import { exit, Trouble } from '../../../adapters/trouble.ts';
import { checkMs, forCompose, hashKind, isWeakKind } from '../../../core/people/hash-kinds.ts';
import { planPath, readPlan } from '../../../core/proxies/builtin/renderer.ts';
import { programOf } from '../../../core/proxies/programs.ts';
import {
  assertName,
  makePassword,
  readPeople,
  removePerson,
  setPerson,
  peopleFiles,
  whichFile,
  type PeoplePlace,
} from '../../../use-cases/map/people.ts';
import { editionNumber } from '../../../core/proxies/edition.ts';
import { closeNow } from '../../../use-cases/live/close-now.ts';
import { takesUpAtOnce } from '../../../use-cases/live/reload-front.ts';
import type { Site } from '../../../use-cases/map/load.ts';
import type { CommandContext, Io } from '../../io.ts';
import { openSite } from '../../open-site.ts';
import { jsonDocument } from '../../print/json.ts';
import { plural, style } from '../../print/style.ts';
import { table } from '../../print/table.ts';

export interface PeopleOptions {
  map?: string;
  gate?: string;
  json?: boolean;
}

export interface AddPersonOptions extends PeopleOptions {
  generate?: boolean;
  stdin?: boolean;
  print?: boolean;
  forCompose?: boolean;
}

export async function runAddPerson(name: string, options: AddPersonOptions, context: CommandContext): Promise<void> {
  const opened = await open(options, context);
  if (opened === null) return;
  const { site, place } = opened;
  const { io } = context;
  assertName(name);
  const made = options.generate === true ? makePassword() : null;
  const password = made ?? (await learnPassword(name, options, io));
  if (made === null) refuseWeak(password, [name, ...site.plan.domains, ...site.plan.roads.map((road) => road.display)]);
  const hash = await hashPassword(password, chooseCost());
  if (options.print === true) {
    io.out(`${name}:${options.forCompose === true ? forCompose(hash) : hash}\n`);
    if (made !== null) io.err(`The password, shown only once: ${made}\n`);
    return;
  }
  const proxy = site.plan.front.proxy;
  const done = await setPerson(place, { name, hash, proxy });
  io.err(
    `${done.fresh ? `${name} can log in` : `${name} has a new password`} at ${gates(place)}, ${done.others === 0 ? 'the only person' : `with ${plural(done.others, 'other')}`}: ${shownPath(place.file, io.cwd)}\n`,
  );
  if (done.readableBy !== null)
    io.err(
      `Besides its owner, only ${done.readableBy} can read the file: ${programOf(proxy).title} runs as that user.\n`,
    );
  if (made !== null) {
    io.out(`${made}\n`);
    io.err('This is the password. It is shown only once. Hand it over in person.\n');
  }
  io.err(await nextAfterPerson(site, place));
}

function goLive({ plan }: Site): string {
  return programOf(plan.front.proxy).words.goLive(plan.front);
}

/** Whether the front reads the file itself at each request: not where it has people in its configuration, or copies of its own. */
function isReadAtOnce({ plan: { front } }: Site): boolean {
  return programOf(front.proxy).limits.people === 'file' && front.cluster === null;
}

/** Whether what was written last asks the people of this file. */
async function isGateLive({ paths }: Site, { file }: PeoplePlace): Promise<boolean> {
  const edition = await readCurrent(paths.front);
  const plan = readPlan(edition?.files.find(({ path }) => path === planPath)?.content ?? '');
  return plan?.roads.some(({ gate }) => filesOf(gate).includes(file)) ?? false;
}

/** Where the front runs by `install` and reads the file at each request, there is nothing left to do. */
async function nextAfterPerson(site: Site, place: PeoplePlace): Promise<string> {
  if (!hasRoads(site, place)) return `next: give a road \`gate: ${place.gates[0] ?? ''}\`, then: mile-marker check\n`;
  if (!isReadAtOnce(site)) return `It takes effect when the map is live.\nnext: ${goLive(site)}\n`;
  const isLive = await takesUpAtOnce(site, null);
  if (isLive && !(await isGateLive(site, place)))
    return `It takes effect when the gate is live.\nnext: ${goLive(site)}\n`;
  return isLive ? 'It takes effect at once.\nnext: mile-marker verify\n' : 'next: mile-marker check\n';
}

export async function runRemovePerson(name: string, options: PeopleOptions, context: CommandContext): Promise<void> {
  const opened = await open(options, context);
  if (opened === null) return;
  await removePerson(opened.place, name, opened.site.plan.front.proxy);
  const { title } = programOf(opened.site.plan.front.proxy);
  if (isReadAtOnce(opened.site)) {
    context.io.err(
      `${name} can no longer log in at ${gates(opened.place)}. It takes effect at once.\nnext: mile-marker people list\n`,
    );
    return;
  }
  if (await takesUpAtOnce(opened.site, null)) return removeFromFront(name, opened, context);
  context.io.err(
    `${name} is removed from ${gates(opened.place)}. ${title} lets them in until the map is live.\nnext: ${goLive(opened.site)}\n`,
  );
}

/** A front that has people in its own configuration is given it without them at once, whatever else the map holds back. */
async function removeFromFront(
  name: string,
  { site, place }: { site: Site; place: PeoplePlace },
  { io }: CommandContext,
): Promise<void> {
  const world = { env: io.env, now: io.now, signal: io.signal };
  const ended = await closeNow({ ...world, site, cwd: io.cwd, only: [], people: true, onStep: io.progress })
    .catch((error: unknown) => {
      if (!(error instanceof Trouble)) throw error;
      throw new Trouble({
        code: 'not-closed',
        message: `${name} is removed from the file, but can still log in: ${error.message}`,
        remedy: error.remedy,
        exitCode: error.exitCode,
        cause: error,
      });
    })
    .finally(() => io.progress(''));
  if (ended.end !== 'closed') {
    io.err(`${name} is removed from the file. The running front may still let them in.\nnext: ${goLive(site)}\n`);
    return;
  }
  const more = ended.moreWaits
    ? 'Other changes on the map are not live yet.\nnext: mile-marker install\n'
    : 'next: mile-marker people list\n';
  io.err(`${name} can no longer log in at ${gates(place)} (edition ${editionNumber(ended.edition)} is live).\n${more}`);
}

/** The people of one gate, or of every gate that has any. */
export async function runListPeople(options: PeopleOptions, context: CommandContext): Promise<void> {
  const site = await openSite(options, context, 'people');
  if (site === null) return;
  const { io } = context;
  // A document is about one file.
  const places =
    options.json === true
      ? [whichFile(site.map, site.mapFile, options.gate)]
      : peopleFiles(site.map, site.mapFile, options.gate);
  for (const [index, place] of places.entries()) {
    if (index > 0) io.out('\n');
    await listPeople(site, place, options, io);
  }
  if (options.json === true) return;
  const gate = options.gate ?? (places.length > 1 ? 'GATE' : null);
  io.err(`next: mile-marker people add NAME${gate === null ? '' : ` --gate ${gate}`}\n`);
}

async function listPeople(site: Site, place: PeoplePlace, { json }: PeopleOptions, io: Io): Promise<void> {
  const { proxy } = site.plan.front;
  const { people, bad } = await readPeople(place.file);
  const rows = people.map(({ name, hash, line }) => {
    const kind = hashKind(hash);
    return {
      name,
      line,
      kind: kind.id,
      cost: kind.cost,
      milliseconds: checkMs(kind),
      verifiable: programOf(proxy).limits.hashes.includes(kind.id),
      weak: isWeakKind(kind),
    };
  });
  if (json === true) {
    io.out(jsonDocument('people', { map: site.mapFile, file: place.file, gates: place.gates, people: rows, bad }));
    return;
  }
  const paint = style(io.colour.out);
  const words = (row: (typeof rows)[number]): string =>
    row.verifiable
      ? row.weak
        ? 'weak: set it again'
        : 'good'
      : `${proxy} cannot check this hash: set the password again`;
  if (rows.length > 0) {
    const head = ['name', 'hash', 'cost', 'verdict'].map((word) => paint.bold(word));
    io.out(
      table(
        head,
        rows.map((row) => [
          row.name,
          row.cost === null ? row.kind : `${row.kind}, ${String(row.cost)}`,
          `${row.milliseconds < 10 ? row.milliseconds.toFixed(1) : String(Math.round(row.milliseconds))} ms`,
          words(row),
        ]),
      ),
    );
  }
  for (const { line, why, name } of bad)
    io.err(`${shownPath(place.file, io.cwd)}:${String(line)}: ${badWords[why]}${name === '' ? '' : ` (${name})`}\n`);
  io.err(
    `${rows.length === 0 ? 'Nobody' : plural(rows.length, 'person', 'people')} can log in at ${gates(place)}: ${shownPath(place.file, io.cwd)}\n`,
  );
}

const badWords = {
  'no-colon': 'a line without a colon is ignored',
  'no-name': 'a line without a name is ignored',
  'no-hash': 'a line without a password is ignored',
  twice: 'the same name is in a line above, which wins',
} as const;

export async function runCheckPerson(name: string, options: AddPersonOptions, context: CommandContext): Promise<void> {
  const opened = await open(options, context);
  if (opened === null) return;
  const { io, setCode } = context;
  const { people } = await readPeople(opened.place.file);
  const person = people.find((one) => one.name === name);
  const password = options.stdin === true ? firstLine(await io.readInput()) : await askFor(`Password of ${name}: `, io);
  if (person !== undefined && !programOf('builtin').limits.hashes.includes(hashKind(person.hash).id)) {
    throw new Trouble({
      code: 'hash-unknown',
      message: `The hash of ${name} is of the type ${hashKind(person.hash).id}, which this tool cannot check.`,
      remedy: `Set a new password: mile-marker people add ${name}`,
    });
  }
  const right = person !== undefined && fits(password, person.hash);
  io.out(right ? 'right\n' : 'wrong\n');
  if (!right) setCode(exit.foundWrong);
}

async function open(
  options: PeopleOptions,
  context: CommandContext,
): Promise<{ site: Site; place: PeoplePlace } | null> {
  const site = await openSite(options, context, 'people');
  return site === null ? null : { site, place: whichFile(site.map, site.mapFile, options.gate) };
}

async function learnPassword(name: string, { stdin }: AddPersonOptions, io: Io): Promise<string> {
  if (stdin === true) return firstLine(await io.readInput());
  const password = await askFor(`New password of ${name}: `, io);
  if ((await askFor('Repeat it: ', io)) === password) return password;
  throw new Trouble({
    code: 'passwords-differ',
    message: 'The two passwords are different.',
    remedy: 'Nothing was changed. Try again.',
    exitCode: 2,
  });
}

function askFor(question: string, io: Io): Promise<string> {
  if (io.askSecret !== null) return io.askSecret(question);
  throw new Trouble({
    code: 'nobody-to-ask',
    message: 'A password is needed, but there is no terminal to ask for it.',
    remedy: 'Give it on standard input with --stdin, or generate one with --generate.',
    exitCode: 2,
  });
}

function firstLine(text: string): string {
  return text.split(/\r?\n/, 1)[0] ?? '';
}

function refuseWeak(password: string, known: readonly string[]): void {
  const why = whyWeak(
    password,
    known.flatMap((word) => [word, ...word.split('.')]),
  );
  if (why === null) return;
  throw new Trouble({
    code: 'password-weak',
    message: `That password is too weak: ${why}.`,
    remedy: 'Nothing was changed. Choose four unrelated words, or use --generate.',
    exitCode: 2,
  });
}

function gates({ gates: names }: PeoplePlace): string {
  return `${names.length === 1 ? 'the gate' : 'the gates'} ${names.join(', ')}`;
}

function hasRoads({ map }: Site, { gates: names }: PeoplePlace): boolean {
  return map.roads.some((road) => road.gates.some((gate) => names.includes(gate)));
}
