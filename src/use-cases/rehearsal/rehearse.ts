import { existsSync } from 'node:fs';
import { mkdir, mkdtemp, readFile, rm, rmdir, stat, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { makeAuthority } from '../../adapters/certificates/make.ts';
import { markText } from '../../adapters/files/editions.ts';
import { filesOfMap } from '../../adapters/files/files-of-map.ts';
import { placementOf } from '../../adapters/files/placement.ts';
import { statePaths } from '../../adapters/files/state-folder.ts';
import { freePorts } from '../../adapters/host/free-ports.ts';
import { ownFile } from '../../adapters/host/own-program.ts';
import { adapterOf } from '../../adapters/proxies/adapters.ts';
import type { Env } from '../../adapters/proxies/adapter.ts';
import { runWithin } from '../../adapters/rehearsal/run-sealed.ts';
import { sealedWords } from '../../adapters/rehearsal/sealed-network.ts';
import { reasonOf, Trouble } from '../../adapters/trouble.ts';
import { planFile, planPath } from '../../core/proxies/builtin/renderer.ts';
import { programOf } from '../../core/proxies/programs.ts';
import type { Plan } from '../../core/plan/plan.ts';
import { knownDevices } from '../../core/devices/ledger.ts';
import { onLoopback } from '../../core/rehearsal/on-loopback.ts';
import type { Site } from '../map/load.ts';
import type { WriteResult } from '../live/write.ts';
import type { Job, Report } from './job.ts';
import { deviceFiles } from '../../adapters/files/device-files.ts';
import { loadDevices } from '../map/devices.ts';
import { upstreamNames, upstreamsOf } from './stand-ins.ts';

interface RehearseInput {
  site: Site;
  /** What is rehearsed: an edition that was written, or would be. */
  edition: Pick<WriteResult, 'edition' | 'digest' | 'files'>;
  env: Env;
  now: () => Date;
  signal: AbortSignal;
  /** Do not even try to seal it. */
  onLoopback: boolean;
}

/** @property how whether it ran sealed, on byte-identical files, or on loopback @property why it did not run sealed; null when it did, or was not to */
export interface Rehearsed extends Report {
  how: 'sealed' | 'loopback';
  why: string | null;
}

/**
 * Runs what is written, with stand-ins for the services, and holds what each of many requests gets against the verdict. In a sealed network of its own
 * where the machine allows that, with the very files; else on free ports of loopback. It leaves nothing.
 *
 * @throws Trouble `proxy-missing`, `rehearsal-failed`
 */
export async function rehearse(input: RehearseInput): Promise<Rehearsed> {
  const { site, env } = input;
  const adapter = adapterOf(site.plan.front.proxy);
  const program = adapter === null ? null : await adapter.find(env);
  const scratch = await mkdtemp(join(tmpdir(), 'mile-marker-rehearsal-'));
  try {
    const authority = await makeAuthority({ name: 'authority of a rehearsal', now: input.now() });
    await writeFile(join(scratch, 'authority.pem'), authority.certificate);
    await writeFile(join(scratch, 'authority.key'), authority.key, { mode: 0o600 });
    const sealed = input.onLoopback ? { why: null } : await inSealedNetwork(input, { program, scratch });
    if ('report' in sealed) return { ...sealed.report, how: 'sealed', why: null };
    const report = await onFreePorts(input, { program, scratch });
    return { ...report, how: 'loopback', why: sealed.why };
  } finally {
    await rm(scratch, { recursive: true, force: true });
  }
}

interface Backstage {
  program: string | null;
  scratch: string;
}

async function inSealedNetwork(
  input: RehearseInput,
  { program, scratch }: Backstage,
): Promise<{ report: Report } | { why: string }> {
  const { site, edition, now } = input;
  const { plan, paths } = site;
  const logs = plan.roads.flatMap(({ rules }) => (typeof rules.log === 'string' ? [rules.log] : []));
  const removeAgain = await makeMountPoints([paths.root], [...new Set(logs)]).catch((error: unknown) =>
    reasonOf(error),
  );
  // Whoever may not write there plays on loopback.
  if (typeof removeAgain === 'string') return { why: removeAgain };
  try {
    const people = peopleOf(site);
    const { edition: number, digest, files } = edition;
    const shared = { sealed: true, program, plan, files, number, mark: markText({ number, digest }) };
    const job = {
      ...{ ...shared, current: join(paths.front, 'current'), paths, scratch, people },
      ...{ names: upstreamNames(plan), now: now().toISOString(), devices: await devicesOf(site, now()) },
    };
    const told = await runInside(job, sealedWords(), input);
    if ('report' in told) return told;
    if (told.code === 'not-sealed') return { why: told.message };
    throw failed(told.message, plan);
  } finally {
    await removeAgain();
  }
}

async function onFreePorts(input: RehearseInput, { program, scratch }: Backstage): Promise<Report> {
  const { site, now } = input;
  const upstreams = [...upstreamsOf(site.plan).values()];
  const [http = 0, https = 0, mark = 0, ...ports] = await freePorts(3 + upstreams.length);
  const real = peopleOf(site);
  const paths = statePaths(join(scratch, 'mile-marker.yaml'));
  await mkdir(paths.front, { recursive: true });
  await mkdir(paths.certificates, { recursive: true });
  const people = (file: string): string => {
    const at = real.findIndex(([path]) => path === file);
    return at < 0 ? file : join(scratch, `people-${String(at)}`);
  };
  const plan = onLoopback(site.plan, {
    ...{
      http,
      https,
      mark,
      people,
      devices: deviceFiles(paths),
      certificates: paths.certificates,
      authority: join(scratch, 'authority.pem'),
    },
    dialled: (host, port) => ports[upstreams.findIndex((one) => one.host === host && one.port === port)] ?? 9,
  });
  const { renderer } = programOf(plan.front.proxy);
  if (renderer === null) throw failed('its files cannot be written yet', plan);
  const current = join(paths.front, 'current');
  const text = markText({ number: 1, digest: `sha256:${'0'.repeat(64)}` });
  const { version } = await site.proxyProgram();
  const placement = placementOf({ plan, mapFile: site.mapFile, current, version });
  const files = [...renderer.render(plan, placement), renderer.renderMark(plan, text)];
  const job: Job = {
    ...{ sealed: false, program, plan, number: 1, mark: text, current, paths, scratch, now: now().toISOString() },
    names: upstreamNames(site.plan),
    files: renderer.entry === planPath ? files : [...files, planFile(plan)],
    people: real.map(([path, names]) => [people(path), names]),
    devices: await devicesOf(site, now()),
  };
  const told = await runInside(job, [], input);
  if ('report' in told) return told.report;
  throw failed(told.message, plan);
}

function failed(message: string, { front }: Plan): Trouble {
  return new Trouble({
    code: 'rehearsal-failed',
    message: `The rehearsal of ${programOf(front.proxy).title} did not finish: ${message.replace(/\.$/, '')}.`,
    remedy: 'Nothing was changed. To see what check says of the map: mile-marker check',
  });
}

/** A front with many names takes its time to start, and each case some milliseconds. */
function limitFor({ roads }: Plan): number {
  return 90_000 + roads.length * 500;
}

async function runInside(
  job: Job,
  before: readonly string[],
  { env, signal }: RehearseInput,
): Promise<{ report: Report } | { code: string; message: string }> {
  const jobFile = join(job.scratch, 'job.json');
  await writeFile(jobFile, JSON.stringify(job), { mode: 0o600 });
  const ended = await runWithin([...before, process.execPath, ownFile('rehearsal.js'), jobFile], {
    env: { ...env, NODE_EXTRA_CA_CERTS: join(job.scratch, 'authority.pem') },
    limitMs: limitFor(job.plan),
    signal,
  });
  if (signal.aborted) return { code: 'interrupted', message: 'interrupted' };
  if (ended.timedOut) return { code: 'rehearsal-failed', message: 'it took too long and was stopped' };
  const text = await readFile(join(job.scratch, 'report.json'), 'utf8').catch(() => null);
  if (text === null) {
    const said = ended.err.trim().split('\n')[0] ?? '';
    return {
      code: before.length > 0 ? 'not-sealed' : 'rehearsal-failed',
      message: said === '' ? 'it ended without a message' : said,
    };
  }
  const told = JSON.parse(text) as { report: Report } | { trouble: { code: string; message: string } };
  return 'report' in told ? told : told.trouble;
}

function peopleOf({ plan, mapFile }: Site): Array<[string, string[]]> {
  return [...filesOfMap(plan, mapFile).people].flatMap(([path, file]): Array<[string, string[]]> =>
    file.state === 'read' ? [[path, file.file.people.map(({ name }) => name)]] : [],
  );
}

/** Names of the devices that count; none where they cannot be read, which `check` tells. */
async function devicesOf({ paths }: Site, now: Date): Promise<string[]> {
  const ledger = await loadDevices(paths).catch(() => null);
  return ledger === null ? [] : knownDevices(ledger, now);
}

/** What is mounted over must be there. What was not is removed again, as far as it is still empty. */
async function makeMountPoints(folders: readonly string[], files: readonly string[]): Promise<() => Promise<void>> {
  const made: Array<() => Promise<void>> = [];
  for (const folder of [...folders, ...files.map((file) => dirname(file))]) {
    const missing: string[] = [];
    for (let at = folder; !existsSync(at); at = dirname(at)) missing.unshift(at);
    for (const path of missing) {
      await mkdir(path);
      made.unshift(() => rmdir(path).catch(() => undefined));
    }
  }
  for (const path of files.filter((file) => !existsSync(file))) {
    await writeFile(path, '', { flag: 'wx' });
    made.unshift(async () => {
      if ((await stat(path)).size === 0) await rm(path);
    });
  }
  return async () => {
    for (const remove of made) await remove();
  };
}
