import { randomBytes } from 'node:crypto';
import { existsSync } from 'node:fs';
import { chmod, mkdir, readFile, symlink, writeFile } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import { fillWithThrowaway } from '../../adapters/certificates/practice.ts';
import { joinPairs } from '../../adapters/certificates/store.ts';
import { proxyUser } from '../../adapters/host/file-user.ts';
import { hashPassword } from '../../adapters/people/hash.ts';
import { waitForMark } from '../../adapters/processes/wait-for-mark.ts';
import { adapterOf } from '../../adapters/proxies/adapters.ts';
import { bindInstead, emptyInstead, haveAddresses, haveNames } from '../../adapters/rehearsal/sealed-network.ts';
import type { StandIn } from '../../adapters/rehearsal/stand-in.ts';
import { startBuiltin } from '../../builtin/server.ts';
import { nameThatPasses } from '../../core/gates/devices.ts';
import { parseAddress } from '../../core/networks/address.ts';
import { editionNumber } from '../../core/proxies/edition.ts';
import { programOf } from '../../core/proxies/programs.ts';
import type { Placement } from '../../core/proxies/renderer.ts';
import { rehearsalCases, type RehearsalCase } from '../../core/rehearsal/cases.ts';
import type { Plan } from '../../core/plan/plan.ts';
import { prepare } from '../../core/verdict/decide.ts';
import type { Job, Report } from './job.ts';
import { playAll, type Arrivals } from './play.ts';
import { addressesOf } from '../../core/plan/parts.ts';
import { setDevices } from './set-devices.ts';
import { addressesOfNames, startStandIns, upstreamsOf } from './stand-ins.ts';

/** How long the front may take to come up. */
const startMs = 30_000;

/** The rehearsal itself: sets the stage, starts the front and the stand-ins, plays every case, and says how each went. */
export async function rehearseInside(job: Job): Promise<Report> {
  const { plan, scratch } = job;
  const passwords = new Map(
    job.people.flatMap(([, names]) => names).map((name) => [name, randomBytes(9).toString('hex')]),
  );
  const cases = rehearsalCases(prepare(plan), new Map(job.people), job.devices);
  const closeNames = job.sealed ? await setStage(job, cases) : await setOnLoopback(job);
  if (programOf(plan.front.proxy).limits.pair === 'one-file') await joinPairs(plan.certificates);
  await adapterOf(plan.front.proxy)?.tellChallenges?.(plan);
  const devices = await setDevices(plan, playedNames(plan, cases), new Date(job.now));
  await writePeople(job, passwords);
  const arrivals: Arrivals = { byCase: new Map(), strays: [] };
  const standIns = await startStandIns(plan, {
    scratch,
    called: job.names,
    onSeen: (service, seen) => {
      const id = seen.headers['x-rehearsal'];
      const known = id === undefined ? undefined : arrivals.byCase.get(id);
      if (known === undefined) arrivals.strays.push(`${seen.method} ${seen.target} reached ${service}`);
      else known.push({ service, seen });
    },
  });
  const front = await startFront(job);
  try {
    const { address, port } = plan.front.mark;
    await waitForMark({ address, port, mark: job.mark, withinMs: startMs, signal: new AbortController().signal });
    return await playAll({ prepared: prepare(plan), cases, standIns, passwords, devices, arrivals });
  } finally {
    await front.stop();
    stopAll(standIns, closeNames);
  }
}

/** Of the devices that some case plays, and that gates let pass. */
function playedNames({ roads }: Plan, cases: readonly RehearsalCase[]): string[] {
  const good = cases.flatMap(({ sent: { device } }) => (device?.state === 'good' ? [device.name] : []));
  return [...new Set([...good, ...roads.flatMap(({ gate }) => nameThatPasses(gate) ?? [])])];
}

function stopAll(standIns: ReadonlyMap<string, StandIn>, closeNames: () => void): void {
  for (const one of standIns.values()) one.stop();
  closeNames();
}

/** All that is written stands at its own path, in memory; addresses and names of the map exist; real logs, keys and passwords are out of sight. */
async function setStage(job: Job, cases: readonly RehearsalCase[]): Promise<() => void> {
  const { plan, paths, scratch } = job;
  const pairs = await readPairs(plan);
  await emptyInstead(paths.root);
  for (const { path, bytes } of pairs) {
    await mkdir(dirname(path), { recursive: true });
    await writeFile(path, bytes, { mode: 0o600 });
  }
  await fillWithThrowaway({ paths, certificates: plan.certificates, now: new Date(job.now) });
  await writeEdition(job);
  const authority = join(scratch, 'authority.pem');
  const trusted = [...upstreamsOf(plan).values()].flatMap(({ trust, scheme }) =>
    scheme === 'http'
      ? []
      : trust.kind === 'ca'
        ? [trust.file]
        : trust.kind === 'system'
          ? [plan.host.trustedRoots]
          : [],
  );
  for (const file of new Set(trusted)) if (file !== null && existsSync(file)) await bindInstead(authority, file);
  const log = join(scratch, 'road.log');
  await writeFile(log, '');
  const logs = plan.roads.flatMap(({ rules }) => (typeof rules.log === 'string' ? [rules.log] : []));
  for (const file of new Set(logs)) await bindInstead(log, file);
  const names = addressesOfNames(plan);
  const resolvers = names.size === 0 ? [] : plan.host.resolvers;
  const listening = [...plan.front.listen.addresses, ...plan.front.addresses].filter(isOne);
  const dialled = [...upstreamsOf(plan).values()]
    .flatMap(addressesOf)
    .map(({ host }) => host)
    .filter(isOne);
  const clients = cases.map(({ sent }) => sent.from).filter(isOne);
  await haveAddresses([...listening, ...dialled, ...clients, ...resolvers, plan.front.mark.address]);
  return haveNames(names, { resolvers, scratch });
}

async function setOnLoopback(job: Job): Promise<() => void> {
  await writeEdition(job);
  await fillWithThrowaway({ paths: job.paths, certificates: job.plan.certificates, now: new Date(job.now) });
  return () => undefined;
}

function isOne(address: string): boolean {
  return parseAddress(address) !== null && address !== '0.0.0.0' && address !== '::';
}

/** As far as whoever rehearses may read them; the throwaway one does for the others. */
async function readPairs({ certificates }: Plan): Promise<Array<{ path: string; bytes: Buffer }>> {
  const pairs = await Promise.all(
    certificates.map(({ certificateFile, keyFile }) =>
      Promise.all([certificateFile, keyFile].map(async (path) => ({ path, bytes: await readFile(path) }))).catch(
        () => [],
      ),
    ),
  );
  return pairs.flat();
}

async function writeEdition({ current, number, files }: Job): Promise<void> {
  const own = join(dirname(current), 'editions', editionNumber(number));
  for (const { path, content } of files) {
    await mkdir(dirname(join(own, path)), { recursive: true });
    await writeFile(join(own, path), content);
  }
  await symlink(`editions/${editionNumber(number)}`, current);
}

/** Everybody gets a password of the rehearsal's own: the real ones are nobody's to know. */
async function writePeople(job: Job, passwords: ReadonlyMap<string, string>): Promise<void> {
  const { people, scratch, sealed } = job;
  const known = new Map<string, Array<{ name: string; hash: string }>>();
  for (const [index, [path, names]] of people.entries()) {
    const own = await Promise.all(
      names.map(async (name) => ({ name, hash: await hashPassword(passwords.get(name) ?? '', 4) })),
    );
    known.set(path, own);
    const file = join(scratch, `people-${String(index)}`);
    await writeFile(file, own.map(({ name, hash }) => `${name}:${hash}\n`).join(''));
    if (sealed) await bindInstead(file, path);
  }
  await writeSecrets(job, (file) => known.get(file) ?? []);
}

/** A server that keeps people in its own configuration has them there. */
async function writeSecrets({ plan, current, files }: Job, people: Placement['people']): Promise<void> {
  if (files.every(({ secret }) => secret !== true)) return;
  const written = programOf(plan.front.proxy).renderer?.render(plan, { current, people }) ?? [];
  for (const { path, content, secret } of written)
    if (secret === true) await writeFile(join(current, path), content, { mode: 0o600 });
}

async function startFront({ plan, program, scratch, current, mark }: Job): Promise<{ stop: () => Promise<void> }> {
  const adapter = adapterOf(plan.front.proxy);
  if (adapter === null || program === null) {
    const front = await startBuiltin({ plan, mark: `${mark}\n`, onTrouble: () => undefined });
    return { stop: () => front.stop(0) };
  }
  const config = join(scratch, 'whole.conf');
  const user = process.getuid?.() === 0 ? await servingUser(plan, scratch) : null;
  await writeFile(config, adapter.standalone({ current, runFolder: scratch, user }));
  return adapter.start(program, { config, current });
}

/** As root it may read all that is there. A program that cannot be told so reads what its own user may, and what is made for it here. */
async function servingUser({ front }: Plan, scratch: string): Promise<string | null> {
  if (programOf(front.proxy).limits.servesAsRoot) return 'root';
  await chmod(scratch, 0o711);
  return proxyUser({ proxy: front.proxy, container: null })?.name ?? null;
}
