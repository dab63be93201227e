import { readFrontJournal } from '../../adapters/files/editions.ts';
import type { Env } from '../../adapters/proxies/adapter.ts';
import { Trouble } from '../../adapters/trouble.ts';
import { liveEdition } from '../../core/live/front-journal.ts';
import { programOf } from '../../core/proxies/programs.ts';
import type { Site } from '../map/load.ts';
import { runnerOf } from './front-moves.ts';
import { placeOf } from './preview-install.ts';

/**
 * Whether what changed is to be brought live at once: where an installation stands, unless a person says otherwise.
 *
 * @param wish of the person; null when there is none
 */
export async function takesUpAtOnce(
  { paths }: Pick<Site, 'paths'>,
  wish: boolean | null | undefined,
): Promise<boolean> {
  return wish ?? liveEdition(await readFrontJournal(paths.front)) !== null;
}

/**
 * Has the proxy of the map take up a new certificate. Nothing to do for one that reads certificates anew by itself.
 *
 * @throws Trouble `reload-failed`, `proxy-missing`
 */
export async function reloadFront(site: Parameters<typeof placeOf>[0], env: Env): Promise<void> {
  const { front } = site.plan;
  const { limits, words, title } = programOf(front.proxy);
  if (limits.readsCertificatesAnew) return;
  const { program, installed } = await runnerOf(placeOf(site), env);
  const { passed, output } = await installed.reload(program);
  if (passed) return;
  const message = `${title} did not take up the new certificate: ${firstLine(output)}.`;
  const remedy = `The certificate is stored. Reload it by hand: ${words.reload(front)}`;
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
