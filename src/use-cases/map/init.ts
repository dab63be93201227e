import { access } from 'node:fs/promises';
import { join } from 'node:path';
import { readCertificate } from '../../adapters/certificates/read.ts';
import { hostFacts } from '../../adapters/host/facts.ts';
import { ownAddresses } from '../../core/way-in/way-in.ts';
import { takeInventory } from '../survey/take-inventory.ts';
import { mapName, shownPath } from '../../adapters/files/find-map.ts';
import { keepMapSchema } from '../../adapters/files/map-schema.ts';
import { statePaths } from '../../adapters/files/state-folder.ts';
import { writeFirst } from '../../adapters/files/safe-write.ts';
import { codeOf, Trouble } from '../../adapters/trouble.ts';
import type { Env } from '../../adapters/proxies/adapter.ts';
import { adapterOf } from '../../adapters/proxies/adapters.ts';
import { fill } from '../../core/findings/card.ts';
import { nameInvalid } from '../../core/map/cards.ts';
import { starterMap } from '../../core/map/starter.ts';
import { parseHostName } from '../../core/names/host-name.ts';
import { parseAddress } from '../../core/networks/address.ts';
import type { ProxyName } from '../../core/proxies/names.ts';
import { programOf, readablePrograms } from '../../core/proxies/programs.ts';
import { withServices } from '../../core/takeover/with-services.ts';
import { takenMap } from '../../core/takeover/first-map.ts';
import type { Left, TakenOver, TakenRoad } from '../../core/takeover/taken-over.ts';

/** File names that the Compose Specification looks for, in its order. */
const composeNames = ['compose.yaml', 'compose.yml', 'docker-compose.yaml', 'docker-compose.yml'];

interface InitInput {
  domain: string;
  addresses: string[];
  /** Compose files to read services from; undefined: the one that lies here, if any. */
  compose?: string[] | undefined;
  proxy?: ProxyName | undefined;
  cwd: string;
}

/**
 * Writes the first map into the folder `cwd`.
 *
 * @throws Trouble `map-exists`, `domain-invalid`, `address-invalid` (exit code 2), `cannot-write`
 */
export async function initMap({
  domain,
  addresses,
  compose,
  proxy = 'builtin',
  cwd,
}: InitInput): Promise<{ shown: string; compose: string[] }> {
  const name = readDomain(domain);
  const there = compose ?? (await firstThere(cwd));
  const text = starterMap({ domain: name, addresses: addresses.map(readAddress), compose: there, proxy });
  return { shown: await writeMap(text, cwd), compose: there };
}

/** @property left what could not be taken over */
interface InitFrom {
  shown: string;
  roads: TakenRoad[];
  left: Left[];
}

/**
 * Writes a first map from what an installed server program serves by files made by hand. Nothing of it is run or changed.
 *
 * @throws Trouble `proxy-missing`, `proxy-refuses`, `nothing-served`, `address-needed`, and as `initMap`
 */
export async function initFromProxy({
  from,
  proxy = from,
  domain,
  addresses,
  cwd,
  env,
}: Omit<InitInput, 'compose' | 'domain'> & { from: ProxyName; domain: string | null; env: Env }): Promise<InitFrom> {
  const { title, takeOver } = programOf(from);
  const adapter = adapterOf(from);
  if (adapter === null || takeOver === null)
    throw new Trouble({
      code: 'from-later',
      message: `This version cannot read the configuration of ${title}.`,
      remedy: `Write one of: ${sourceWords()}`,
      exitCode: 2,
    });
  const found = takeOver(await adapter.dump(await adapter.find(env)));
  // An engine that does not answer leaves the ports as they are.
  const { inventory } = await takeInventory({ map: null, mapFile: join(cwd, mapName), cwd, env });
  const taken = withServices(found, inventory);
  const [passedOver] = taken.left;
  const because =
    passedOver === undefined
      ? ''
      : ` ${passedOver.origin.file}:${String(passedOver.origin.line)}, ${passedOver.what}: ${passedOver.why}.`;
  if (taken.roads.length === 0)
    throw new Trouble({
      code: 'nothing-served',
      message: `${title} serves no name that fits on a map.${because}`,
      remedy: 'Start with an empty one: mile-marker init --domain NAME --address ADDRESS',
      exitCode: 2,
    });
  const own = addresses.length > 0 ? addresses.map(readAddress) : taken.addresses;
  if (own.length === 0)
    throw new Trouble({
      code: 'address-needed',
      message: `${title} listens on every address of this machine, so its public address is not known.`,
      remedy: `Name it: mile-marker init --from ${from} --address ${ownAddresses(hostFacts())}`,
      exitCode: 2,
    });
  const covered = await namesInPairs(taken);
  const named = domain === null ? null : readDomain(domain);
  const text = takenMap({ taken, domain: named, addresses: own, proxy, covered });
  return { shown: await writeMap(text, cwd), roads: taken.roads, left: taken.left };
}

async function namesInPairs({ roads }: TakenOver): Promise<Map<string, readonly string[]>> {
  const files = [...new Set(roads.flatMap(({ certificate }) => certificate?.certificate ?? []))];
  const read = await Promise.all(files.map(async (file) => [file, await readCertificate(file)] as const));
  return new Map(read.flatMap(([file, facts]) => (facts === null ? [] : [[file, facts.dnsNames] as const])));
}

/** What a first map can be made from, as `--from` has it. */
export function sourceWords(): string {
  return [...readablePrograms(), 'compose FILE', 'containers'].map((source) => `--from ${source}`).join(', ');
}

function readDomain(domain: string): string {
  const name = parseHostName(domain);
  if (name.ok) return name.name.unicode;
  const { message, remedy } = nameInvalid.messages[name.problem];
  const data = { name: domain, text: name.text };
  throw new Trouble({ code: 'domain-invalid', message: fill(message, data), remedy: fill(remedy, data), exitCode: 2 });
}

function readAddress(address: string): string {
  const literal = parseAddress(address);
  if (literal !== null || parseHostName(address).ok) return literal ?? address;
  throw new Trouble({
    code: 'address-invalid',
    message: `--address expects an IPv4 or IPv6 address. Found: ${address}`,
    remedy: 'Write it like 203.0.113.24 or 2001:db8:40::24.',
    exitCode: 2,
  });
}

async function writeMap(text: string, cwd: string): Promise<string> {
  const file = join(cwd, mapName);
  try {
    await writeFirst(file, text);
    await keepMapSchema(statePaths(file));
  } catch (trouble) {
    if (!(trouble instanceof Trouble) || codeOf(trouble.cause) !== 'EEXIST') throw trouble;
    const message = `There is already a map: ${file}. It was not changed.`;
    throw new Trouble({
      code: 'map-exists',
      message,
      remedy: 'Edit it, or run init in another folder.',
      exitCode: 2,
      cause: trouble,
    });
  }
  return shownPath(file, cwd);
}

async function firstThere(folder: string): Promise<string[]> {
  for (const name of composeNames) {
    const there = await access(join(folder, name)).then(
      () => true,
      () => false,
    );
    if (there) return [name];
  }
  return [];
}
