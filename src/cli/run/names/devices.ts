import { lstat } from 'node:fs/promises';
import { resolve } from 'node:path';
import { shownPath } from '../../../adapters/files/find-map.ts';
import { readCurrent } from '../../../adapters/files/editions.ts';
import { writeNew, writeTrouble } from '../../../adapters/files/safe-write.ts';
import { Trouble } from '../../../adapters/trouble.ts';
import { devicesIn, type Device } from '../../../core/devices/ledger.ts';
import { checkOf, checksOf } from '../../../core/gates/check.ts';
import { label } from '../../../core/map/schema/words.ts';
import { builtInGates } from '../../../core/map/built-in-gates.ts';
import type { SiteMap } from '../../../core/map/site-map.ts';
import { planPath, readPlan } from '../../../core/proxies/builtin/renderer.ts';
import { programOf } from '../../../core/proxies/programs.ts';
import { addDevice, loadDevices, removeDevice } from '../../../use-cases/map/devices.ts';
import { editWidely } from '../../../use-cases/map/edit.ts';
import type { Site } from '../../../use-cases/map/load.ts';
import { makePassword } from '../../../use-cases/map/people.ts';
import { reloadFront, takesUpAtOnce } from '../../../use-cases/live/reload-front.ts';
import type { CommandContext, Io } from '../../io.ts';
import { openSite } from '../../open-site.ts';
import { jsonDocument } from '../../print/json.ts';
import { plural, style, wrap } from '../../print/style.ts';
import { table } from '../../print/table.ts';

export interface DeviceOptions {
  map?: string;
  json?: boolean;
}

export interface AddDeviceOptions extends DeviceOptions {
  gate?: string;
  out?: string;
  days: number;
  modern?: boolean;
}

export async function runAddDevice(name: string, options: AddDeviceOptions, context: CommandContext): Promise<void> {
  const site = await openSite(options, context, 'devices');
  if (site === null) return;
  const gate = gateFor(name, options.gate, site.map);
  await make(name, options, { site, context, again: false });
  if (gate !== null) await nameInGate(name, gate, site, options, context);
  await sayNext(name, gate, site, context.io);
}

export async function runRenewDevice(name: string, options: AddDeviceOptions, context: CommandContext): Promise<void> {
  const site = await openSite(options, context, 'devices');
  if (site === null) return;
  await make(name, options, { site, context, again: true });
  context.io.err(
    'The certificate before counts until it ends. If the device was lost, remove it and add it again.\nnext: mile-marker devices list\n',
  );
}

interface MakeInput {
  site: Site;
  context: CommandContext;
  again: boolean;
}

/** Makes it, writes the file, and says how a device takes it. */
async function make(name: string, options: AddDeviceOptions, { site, context, again }: MakeInput): Promise<void> {
  const { io } = context;
  const path = resolve(io.cwd, options.out ?? `${name}.p12`);
  const password = makePassword();
  const form = options.modern === true ? 'modern' : 'old';
  if ((await lstat(path).catch(() => null)) !== null) throw isThere(path);
  const { paths } = site;
  const { bundle, ends } = await addDevice({ paths, now: io.now(), name, days: options.days, password, form, again });
  await writeNew(path, bundle, 0o600).catch((cause: unknown) => {
    throw writeTrouble(path, cause);
  });
  const shown = shownPath(path, io.cwd);
  io.err(`${shown} has the key of ${name}, and its certificate, which ends on ${ends.toISOString().slice(0, 10)}.\n`);
  io.out(`${password}\n`);
  io.err('This is the password of that file. It is shown only once.\n\n');
  io.err(`Take the file to the device, open it there, and type the password:\n`);
  for (const [system, steps] of imports)
    io.err(wrap(steps, { width: io.width, first: `  ${system.padEnd(15)}`, indent: ' '.repeat(17) }));
  io.err(`Then delete the file here: rm ${shown}\n`);
}

/** Where each system takes such a file. */
const imports: ReadonlyArray<readonly [string, string]> = [
  ['iPhone, iPad', 'open it in Files, then Settings > General > VPN & Device Management > install'],
  ['Android', 'Settings > Security > Encryption & credentials > Install a certificate > VPN & app user certificate'],
  ['Windows', 'double-click it; choose Current User'],
  ['macOS', 'double-click it; choose the keychain `login`'],
  ['Firefox', 'Settings > Privacy & Security > View Certificates > Your Certificates > Import'],
];

function isThere(path: string): Trouble {
  return new Trouble({
    code: 'device-file-there',
    message: `${path} is there already, and is not replaced.`,
    remedy: 'Remove it, or write another one: --out FILE',
    exitCode: 2,
  });
}

/** The gate that is meant: one that lets in any device needs no name. @throws Trouble `device-gate` */
function gateFor(name: string, wanted: string | undefined, map: SiteMap): string | null {
  const asking = map.gates.filter((gate) => checkOf(gate, 'devices') !== null);
  if (wanted === undefined) {
    if (asking.some((gate) => checkOf(gate, 'devices')?.names === null || isIn(gate, name))) return null;
    const known = asking.map((gate) => gate.name);
    throw whichGate(
      known.length === 0 ? 'No gate of the map lets devices pass.' : `No gate lets \`${name}\` pass yet.`,
      `Name the gate that is to let it pass: --gate ${known[0] ?? 'keepers'}`,
    );
  }
  if (builtInGates.includes(wanted))
    throw whichGate(`The gate \`${wanted}\` is built in, and has no devices.`, 'Name one of your own: --gate keepers');
  // Before anything is made that the map could not name.
  if (!label('the name of a gate').safeParse(wanted).success)
    throw whichGate(`A gate cannot be called \`${wanted}\`.`, 'Use letters, digits and hyphens, such as keepers.');
  const gate = map.gates.find((one) => one.name === wanted);
  if (gate !== undefined && checkOf(gate, 'devices') === null)
    throw whichGate(
      `The gate \`${wanted}\` asks for something else, and has no devices.`,
      `Add \`devices: [${name}]\` to it in the map, with \`need: any\` if one of them is enough. Or name a new gate: --gate keepers`,
    );
  return wanted;
}

function whichGate(message: string, remedy: string): Trouble {
  return new Trouble({ code: 'device-gate', message, remedy, exitCode: 2 });
}

function isIn(gate: SiteMap['gates'][number], name: string): boolean {
  return checkOf(gate, 'devices')?.names?.includes(name) === true;
}

/** Writes the device into a gate that names its devices; a gate that is not there yet is made. */
async function nameInGate(
  name: string,
  gate: string,
  site: Site,
  options: DeviceOptions,
  { io }: CommandContext,
): Promise<void> {
  const held = site.map.gates.find((one) => one.name === gate);
  const names = held === undefined ? [] : (checkOf(held, 'devices')?.names ?? null);
  if (names === null || names.includes(name)) return;
  await setNames(gate, [...names, name].sort(), options, io);
  io.err(`The gate ${gate} names it in the map.\n`);
}

/** @throws Trouble `device-gate` where the map would not be one with it */
async function setNames(gate: string, names: readonly string[], options: DeviceOptions, io: Io): Promise<void> {
  const edit = { kind: 'set-at', path: ['gates', gate, 'devices'], value: `[${names.join(', ')}]` } as const;
  const { findings } = await editWidely(options.map, edit, { cwd: io.cwd, env: io.env });
  const [wrong] = findings.filter(({ severity }) => severity === 'error');
  if (wrong !== undefined) throw whichGate(`The map was not changed: ${wrong.message}`, wrong.remedy);
}

async function sayNext(name: string, gate: string | null, site: Site, io: Io): Promise<void> {
  const asking = gate ?? site.map.gates.find((one) => checkOf(one, 'devices') !== null)?.name ?? '';
  if (!site.map.roads.some(({ gates }) => gates.includes(asking))) {
    io.err(`next: give a road \`gate: ${asking}\`: mile-marker set ROAD gate ${asking}\n`);
    return;
  }
  const passes = (await takesUpAtOnce(site, null)) && (await isAsked(site, name));
  io.err(passes ? 'It passes from now on.\nnext: mile-marker verify\n' : 'next: mile-marker install\n');
}

/** Whether what was written last has a gate for devices, or one that lets this device pass. */
async function isAsked({ paths }: Site, name: string | null): Promise<boolean> {
  const edition = await readCurrent(paths.front).catch(() => null);
  const plan = readPlan(edition?.files.find(({ path }) => path === planPath)?.content ?? '');
  const checks = (plan?.roads ?? []).flatMap(({ gate }) => checksOf(gate, 'devices'));
  return checks.some(({ names }) => name === null || names === null || names.includes(name));
}

export async function runRemoveDevice(name: string, options: DeviceOptions, context: CommandContext): Promise<void> {
  const site = await openSite(options, context, 'devices');
  if (site === null) return;
  const { io } = context;
  await removeDevice({ paths: site.paths, now: io.now(), name });
  io.err(`${name} is removed.${(await isAsked(site, null)) ? ` ${await refusedWords(name, site, io)}` : ''}\n`);
  for (const gate of site.map.gates.filter((one) => isIn(one, name))) {
    const rest = (checkOf(gate, 'devices')?.names ?? []).filter((one) => one !== name);
    if (rest.length > 0) await setNames(gate.name, rest, options, io);
    io.err(
      rest.length > 0
        ? `The gate ${gate.name} names it no more.\n`
        : `The gate ${gate.name} names no other device, so nobody passes it by one.\n`,
    );
  }
  io.err('next: mile-marker devices list\n');
}

/** Has the front know it at once, where one is live. */
async function refusedWords(name: string, site: Site, io: Io): Promise<string> {
  const { limits, title, words } = programOf(site.plan.front.proxy);
  const refused = 'The front refuses it from its next connection on.';
  const { cluster } = site.plan.front;
  // Nodes of a cluster have copies.
  if (limits.readsCertificatesAnew && cluster !== null)
    return `The nodes of the front let it pass until then: ${words.goLive(site.plan.front)}`;
  if (limits.readsCertificatesAnew) return refused;
  if (!(await takesUpAtOnce(site, null)))
    return `Reload ${title}, which lets it pass until then: ${words.reload(site.plan.front)}`;
  const message = `${name} is removed, but ${title} still lets it pass`;
  await reloadFront(site, io.env, { message, remedy: 'Reload it by hand' });
  return refused;
}

export async function runListDevices(options: DeviceOptions, context: CommandContext): Promise<void> {
  const site = await openSite(options, context, 'devices');
  if (site === null) return;
  const { io } = context;
  const ledger = await loadDevices(site.paths);
  const found = ledger === null ? [] : devicesIn(ledger);
  const gatesOf = ({ name, removed }: Device): string[] =>
    removed !== null
      ? []
      : site.map.gates.flatMap((gate) => {
          const check = checkOf(gate, 'devices');
          return check !== null && (check.names === null || check.names.includes(name)) ? [gate.name] : [];
        });
  if (options.json === true) {
    const rows = found.map((device) => ({ ...device, gates: gatesOf(device) }));
    io.out(jsonDocument('devices', { map: site.mapFile, devices: rows }));
    return;
  }
  const paint = style(io.colour.out);
  const day = (time: string): string => time.slice(0, 10);
  const now = io.now().getTime();
  const state = ({ removed, ends, others }: Device): string => {
    if (removed !== null) return `removed on ${day(removed)}`;
    if (new Date(ends).getTime() <= now) return 'ended: renew it';
    const earlier = others === 0 ? '' : `, and ${plural(others, 'earlier certificate')}`;
    return `until ${day(ends)}${earlier}`;
  };
  if (found.length > 0) {
    const head = ['device', 'made', 'counts', 'gates'].map((word) => paint.bold(word));
    io.out(
      table(
        head,
        found.map((one) => [one.name, day(one.made), state(one), gatesOf(one).join(', ') || '-']),
      ),
    );
  }
  const counting = found.filter(({ removed }) => removed === null).length;
  io.err(
    `${counting === 0 ? 'No device' : plural(counting, 'device')} ${counting === 1 || counting === 0 ? 'has' : 'have'} a certificate.\n`,
  );
  io.err('next: mile-marker devices add DEVICE --gate GATE\n');
}
