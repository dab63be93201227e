import { readState } from '../../adapters/files/editions.ts';
import type { Env } from '../../adapters/proxies/adapter.ts';
import { Trouble } from '../../adapters/trouble.ts';
import { programOf } from '../../core/proxies/programs.ts';
import type { Site } from '../map/load.ts';
import { runnerOf } from './front-moves.ts';
import { placeOf, type FrontOf } from './what-runs.ts';

/**
 * Whether what changed is to be brought live at once: where an installation stands, unless a person says otherwise.
 *
 * @param wish of the person; null when there is none
 */
export async function takesUpAtOnce(
  { paths }: Pick<Site, 'paths'>,
  wish: boolean | null | undefined,
): Promise<boolean> {
  return wish ?? (await readState(paths.front)).live !== null;
}

/**
 * Has the proxy that is live take up a new certificate, or the list of removed devices. Nothing to do for one that reads them anew by itself.
 *
 * @param failed what is so where it does not, and what to do
 * @throws Trouble `reload-failed`, `proxy-missing`
 */
export async function reloadFront(
  site: FrontOf,
  env: Env,
  failed: { message: string; remedy: string } | null = null,
): Promise<void> {
  const { live } = await readState(site.paths.front);
  // The map may say another proxy by now.
  const place = { ...placeOf(site), ...live?.place };
  const { limits, words, title } = programOf(place.proxy);
  if (limits.readsCertificatesAnew) return;
  const { program, installed } = await runnerOf(place, env);
  const { passed, output } = await installed.reload(program, { isMoved: false });
  if (passed) return;
  const message = `${failed?.message ?? `${title} did not load the new certificate`}: ${firstLine(output)}.`;
  const remedy = `${failed?.remedy ?? 'The certificate is stored. Reload it by hand'}: ${words.reload({ container: place.container?.name ?? null })}`;
  throw new Trouble({ code: 'reload-failed', message, remedy });
}

function firstLine(text: string): string {
  return (
    text
      .trim()
      .split('\n')
      .find((line) => line !== '') ?? 'it gives no reason'
  );
}
