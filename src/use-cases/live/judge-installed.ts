import { alteredFiles, readCurrent } from '../../adapters/files/editions.ts';
import type { Finding } from '../../core/findings/finding.ts';
import { judgeInstalled } from '../../core/live/installed.ts';
import type { Site } from '../map/load.ts';
import { runnerOf, saidMark, type World } from './front-moves.ts';
import { placeOf } from './preview-install.ts';

/** Holds what was written last against what lies there and what the front of this machine says that it runs. */
export async function judgeInstalledFront(site: Site, world: World): Promise<Finding[]> {
  const edition = await readCurrent(site.paths.front);
  const runs = await saidMark(placeOf(site), world);
  const current =
    edition === null ? null : { number: edition.number, digest: edition.digest, ...alteredFiles(edition) };
  const { installed } = await runnerOf(placeOf(site), world.env).catch(() => ({ installed: null }));
  const isBehind = (await installed?.isBehind?.()) ?? false;
  return judgeInstalled({ plan: site.plan, current, runs, isBehind });
}
