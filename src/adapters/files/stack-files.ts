import { deviceFilesOf, filesOf } from '../../core/gates/check.ts';
import { createHash } from 'node:crypto';
import { readFile } from 'node:fs/promises';
import { join } from 'node:path';
import { planPath } from '../../core/proxies/builtin/renderer.ts';
import type { StackFile } from '../../core/proxies/front-stack.ts';
import { programOf } from '../../core/proxies/programs.ts';
import { dialledParts } from '../../core/plan/parts.ts';
import type { Plan } from '../../core/plan/plan.ts';
import { reasonOf, Trouble } from '../trouble.ts';
import { editionFolder, type Edition } from './editions.ts';
import type { StatePaths } from './state-folder.ts';

/** What an edition is kept with for people, and no server reads. */
const forPeople = [planPath, 'mark.txt', 'way-in.md', 'way-in.nft'];

/** What a cluster takes, in bytes (Engine API v1.41, "Configs", "Secrets"). */
const most = { config: 1_024_000, secret: 512_000 };

/**
 * All that the proxy of a front reads, as a cluster is to be given it: the edition, certificates with their keys, people, authorities of services.
 *
 * @throws Trouble `file-not-for-cluster` for one that cannot be read, or is too large
 */
export async function stackFiles(plan: Plan, edition: Edition, paths: StatePaths): Promise<StackFile[]> {
  const own = editionFolder(paths.front, edition.number);
  const written = edition.files.filter(({ path }) => !forPeople.includes(path));
  const isOneFile = programOf(plan.front.proxy).limits.pair === 'one-file';
  const people = plan.roads.flatMap(({ gate }) => filesOf(gate));
  const devices = plan.roads.flatMap(({ gate }) => deviceFilesOf(gate));
  const authorities = dialledParts(plan.roads).flatMap(({ upstream: { trust } }) =>
    trust.kind === 'ca' ? trust.file : [],
  );
  const wanted: Array<Omit<StackFile, 'sum'>> = [
    ...written.map(({ path, secret }) => ({
      path: join(paths.front, 'current', path),
      source: join(own, path),
      isSecret: secret === true,
    })),
    ...plan.certificates.flatMap(({ certificateFile, keyFile }) => [
      { path: certificateFile, source: certificateFile, isSecret: false },
      // Told of one file alone, a server looks for its key under this name beside it.
      { path: isOneFile ? `${certificateFile}.key` : keyFile, source: keyFile, isSecret: true },
    ]),
    ...[...new Set(people)].map((path) => ({ path, source: path, isSecret: true })),
    ...[...new Set([...authorities, ...devices])].map((path) => ({ path, source: path, isSecret: false })),
  ];
  return Promise.all(wanted.map(withSum));
}

async function withSum(file: Omit<StackFile, 'sum'>): Promise<StackFile> {
  const bytes = await readFile(file.source).catch((cause: unknown) => {
    throw notFor(file.source, `it cannot be read: ${reasonOf(cause)}`);
  });
  const limit = file.isSecret ? most.secret : most.config;
  if (bytes.length >= limit)
    throw notFor(
      file.source,
      `a cluster takes files below ${String(limit / 1000)} kB, and it has ${String(Math.ceil(bytes.length / 1000))}`,
    );
  return { ...file, sum: createHash('sha256').update(bytes).digest('hex') };
}

function notFor(path: string, why: string): Trouble {
  return new Trouble({
    code: 'file-not-for-cluster',
    message: `${path} cannot be given to the nodes of the front: ${why}.`,
    remedy: 'Fix that, then run this again. Nothing was changed.',
    exitCode: 2,
  });
}
