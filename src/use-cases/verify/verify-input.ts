import { X509Certificate } from 'node:crypto';
import { access, constants } from 'node:fs/promises';
import { dirname, resolve } from 'node:path';
import { authorityFile } from '../../adapters/certificates/practice.ts';
import { systemResolver } from '../../adapters/dns/zone.ts';
import { readAlong } from '../../adapters/files/front-log.ts';
import { readLogin } from '../../adapters/files/read-login.ts';
import { readText } from '../../adapters/files/read-text.ts';
import type { Env } from '../../adapters/proxies/adapter.ts';
import type { Limits } from '../../adapters/probe/connect.ts';
import type { Trust } from '../../adapters/probe/handshake.ts';
import { parseEndpoint, resolverNames, systemNames } from '../../adapters/probe/look-up.ts';
import { Trouble } from '../../adapters/trouble.ts';
import { readSeen, type Seen } from '../../core/look/seen.ts';
import { composeForAny, startCommand } from '../../core/inventory/compose-command.ts';
import { isLoopback, isPrivate, parseAddress } from '../../core/networks/address.ts';
import type { Plan } from '../../core/plan/plan.ts';
import { frontWords } from '../../core/proxies/front-words.ts';
import { recordLines, wantedRecords } from '../../core/records/wanted.ts';
import { programOf } from '../../core/proxies/programs.ts';
import { readHeld, type Site } from '../map/load.ts';
import { isNear } from './gate/open-ports.ts';
import { zoneOpinions } from './way/zone-opinions.ts';
import { readRunning } from './asking/running.ts';
import { recordedProber } from './asking/recorded-prober.ts';
import { deviceSeen, devicesShown } from './asking/devices.ts';
import { knowingPages, liveProber } from './asking/prober.ts';
import type { VerifyInput } from './verify.ts';
import { chosenRoads } from '../map/chosen-roads.ts';

/** How a person wants to verify. Files are relative to where the command was started. */
export interface VerifyRequest {
  at?: string;
  fromAddress?: string;
  resolver?: string;
  trust?: string[];
  login?: string;
  frontLog?: string;
  read?: string;
  thorough?: boolean;
  timeout: number;
  parallel: number;
}

/** What verifying needs of the world around it. */
interface VerifyWorld {
  cwd: string;
  env: Env;
  signal: AbortSignal;
  now: () => Date;
  readInput: () => Promise<string>;
  onProgress: VerifyInput['onProgress'];
}

/** Everything that one run needs, out of options and files. The front's log is read from where it ends now. */
export async function verifyInput(
  { site, onTheMap }: { site: Site; onTheMap: Site },
  names: readonly string[],
  options: VerifyRequest,
  io: VerifyWorld,
): Promise<VerifyInput> {
  const { plan, host } = site;
  const limits = limitsOf(options, site, io);
  const isRead = options.read !== undefined;
  const ports = plan.ports.filter(({ name }) => names.includes(name));
  const ofRoads = names.filter((name) => !ports.some((port) => port.name === name));
  const wanted = recordLines(wantedRecords({ plan: onTheMap.plan, dns: site.map.dns, acme: null, view: 'public' }));
  const near = [...plan.front.addresses, ...plan.front.home];
  const own = host.addresses.map(({ address }) => address);
  // The plan as the map has it: for driving, the road of all other names goes by one of them.
  const running = await readRunning(onTheMap, limits, options.at === undefined && !isRead ? io.env : null);
  return {
    plan,
    // Who names raw ports alone wants no road.
    roads: ports.length > 0 && ofRoads.length === 0 ? [] : chosenRoads(plan, ofRoads),
    ports: names.length === 0 ? plan.ports : ports,
    at: options.at === undefined ? null : placeAt(options.at, plan),
    ...(await askingOf(site, options, limits, io)),
    zones:
      isRead || options.at !== undefined || options.fromAddress !== undefined
        ? null
        : zonesOf({ plan, wanted }, options, io),
    wanted,
    homeNames: !isRead && seesHome(site, options),
    fromHome: !isRead && isNear(site, near),
    isFrontsMachine: running !== null || near.some((address) => own.includes(address)),
    here: isRead ? [] : own,
    held: readHeld(plan),
    frontLog: await readAlong(isRead ? null : await errorLogOf(plan, options, io), isRead ? [] : plan.roads),
    running: isRead ? null : running,
    words: frontWords(plan, composeForAny(host.compose, site.inventory.services)),
    limits,
    login: options.login === undefined ? null : await readLogin(resolve(io.cwd, options.login)),
    startOf: (name) => {
      const service = site.inventory.services.find((one) => one.name === name);
      return service === undefined ? null : startCommand(host.compose, service);
    },
    thorough: options.thorough === true,
    concurrency: options.parallel,
    now: io.now().getTime(),
    onProgress: io.onProgress,
  };
}

export function limitsOf(
  { timeout, fromAddress }: VerifyRequest,
  { host }: Site,
  { signal }: Pick<VerifyWorld, 'signal'>,
): Limits {
  if (fromAddress === undefined) return { timeoutMs: timeout, signal };
  const from = parseAddress(fromAddress);
  const own = host.addresses.map(({ address }) => address);
  // All of 127.0.0.0/8 is this machine (RFC 1122 §3.2.1.3).
  if (from !== null && (own.includes(from) || isLoopback(from))) return { timeoutMs: timeout, signal, from };
  const message =
    from === null
      ? `--from-address expects an address. Found: ${fromAddress}`
      : `This machine does not have the address ${from}.`;
  const remedy = `It has: ${own.join(', ')}`;
  throw new Trouble({ code: 'from-address', message, remedy, exitCode: 2 });
}

async function askingOf(
  site: Site,
  options: VerifyRequest,
  limits: Limits,
  io: VerifyWorld,
): Promise<Pick<VerifyInput, 'prober' | 'devices'>> {
  const { plan } = site;
  const trust = await readTrust(site, options.trust ?? [], io);
  if (options.read !== undefined) {
    const seen = await readRecord(options.read, io);
    return { prober: knowingPages(recordedProber(seen, trust), plan), devices: deviceSeen(plan, seen.device) };
  }
  const { resolver, timeout } = options;
  const names =
    resolver === undefined
      ? systemNames(timeout)
      : resolverNames(parseEndpoint(resolver, 53, '--resolver'), timeout, limits.from);
  const devices = await devicesShown(site, io.now());
  return { prober: knowingPages(liveProber(names, trust, limits, devices), plan), devices };
}

/** @throws Trouble `seen-unreadable` */
async function readRecord(file: string, io: VerifyWorld): Promise<Seen> {
  const path = file === '-' ? 'standard input' : resolve(io.cwd, file);
  const maxBytes = 64 * 1024 * 1024;
  const text =
    file === '-' ? await io.readInput() : await readText({ path, what: 'record of another machine', maxBytes });
  const seen = readSeen(text);
  if ('answers' in seen) return seen;
  const place = seen.line === 0 ? path : `${path}:${String(seen.line)}`;
  throw new Trouble({
    code: 'seen-unreadable',
    message: `${place}: this is not the output of the script: ${seen.why}.`,
    remedy: 'Print the script: mile-marker verify --script > look.sh. Run it there: sh look.sh > seen.txt',
    exitCode: 2,
  });
}

/** Nobody waits long for servers that cannot be reached from here: what the resolver says is there all the same. */
const mostZoneMs = 2500;

function zonesOf(
  { plan, wanted }: { plan: Plan; wanted: VerifyInput['wanted'] },
  { resolver, timeout }: VerifyRequest,
  { signal }: Pick<VerifyWorld, 'signal'>,
): VerifyInput['zones'] {
  const asked = resolver === undefined ? systemResolver() : parseEndpoint(resolver, 53, '--resolver');
  if (asked === null) return null;
  const reader = { resolver: asked, timeoutMs: Math.min(timeout, mostZoneMs) };
  return (names, expected) => zoneOpinions({ plan, names, expected, wanted, reader, signal });
}

/** From home, by this machine's own resolver or one inside, the names may lead to the addresses of home (split DNS). */
function seesHome(site: Site, { resolver }: VerifyRequest): boolean {
  const isInside = resolver === undefined || isPrivate(parseEndpoint(resolver, 53, '--resolver').address);
  return isInside && isNear(site, site.plan.front.home);
}

/** The HTTP port that goes with `--at`: the machine's own when the HTTPS port is the machine's own, else the visitors'. */
export function placeAt(text: string, { front }: Pick<Plan, 'front'>): NonNullable<VerifyInput['at']> {
  const { address, port } = parseEndpoint(text, front.ports.https, '--at');
  const inside = port === front.listen.https && port !== front.ports.https;
  return { address, httpsPort: port, httpPort: inside ? front.listen.http : front.ports.http };
}

async function errorLogOf(
  { front }: Plan,
  { frontLog }: VerifyRequest,
  { cwd }: Pick<VerifyWorld, 'cwd'>,
): Promise<string | null> {
  if (frontLog !== undefined) {
    const path = resolve(cwd, frontLog);
    await access(path, constants.R_OK).catch((cause: unknown) => {
      const message = `The front's log ${path} cannot be read.`;
      const remedy = 'Write the file that your server writes its errors to, and run verify as a user who may read it.';
      throw new Trouble({ code: 'front-log-unreadable', message, remedy, exitCode: 2, cause });
    });
    return path;
  }
  // A front in a container or elsewhere writes its errors where nobody knows.
  const usual = front.container === null ? (programOf(front.proxy).errorLog?.usualPath ?? null) : null;
  if (usual === null) return null;
  return access(usual, constants.R_OK).then(
    () => usual,
    () => null,
  );
}

/** What is named on the command line, and the root of the map's own authority: what it issues is meant. */
async function readTrust(
  { paths, map, mapFile }: Site,
  files: readonly string[],
  { cwd }: Pick<VerifyWorld, 'cwd'>,
): Promise<Trust> {
  const given = await Promise.all(files.map((file) => readAuthorities(resolve(cwd, file))));
  const root = map?.acme?.root ?? null;
  if (root !== null) given.push(await readAuthorities(resolve(dirname(mapFile), root)).catch(() => []));
  const practice = await readAuthorities(authorityFile(paths)).catch(() => []);
  return { given: given.flat(), practice };
}

async function readAuthorities(path: string): Promise<string[]> {
  const text = await readText({ path, what: 'file with trusted authorities' });
  const found = text.match(/-----BEGIN CERTIFICATE-----[^-]+-----END CERTIFICATE-----/g) ?? [];
  try {
    if (found.length === 0) throw new Error('no certificate');
    for (const pem of found) new X509Certificate(pem);
  } catch (cause) {
    const message = `${path} contains no readable certificate.`;
    throw new Trouble({
      code: 'trust-unreadable',
      message,
      remedy: 'Use a PEM file with the certificate of the authority.',
      exitCode: 2,
      cause,
    });
  }
  return found;
}
