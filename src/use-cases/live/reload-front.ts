import { readFrontJournal } from '../../adapters/files/editions.ts';
import { adapterOf } from '../../adapters/proxies/adapters.ts';
import type { Env } from '../../adapters/proxies/adapter.ts';
import { runQuiet } from '../../adapters/processes/run-quiet.ts';
import { reasonOf, Trouble } from '../../adapters/trouble.ts';
import { liveEdition } from '../../core/live/front-journal.ts';
import type { Plan } from '../../core/plan/plan.ts';
import { programOf } from '../../core/proxies/programs.ts';
import type { Site } from '../map/load.ts';

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
export async function reloadFront({ front }: Pick<Plan, 'front'>, env: Env): Promise<void> {
  const { limits, words, title } = programOf(front.proxy);
  if (limits.readsCertificatesAnew) return;
  const by = words.reload(front);
  const said = front.container === null ? await onHost(front.proxy, env) : await inContainer(by);
  if (said === null) return;
  const message = `${title} did not take up the new certificate: ${said}.`;
  throw new Trouble({ code: 'reload-failed', message, remedy: `The certificate is stored. Reload it by hand: ${by}` });
}

/** Why it failed; null when it did not. */
async function onHost(proxy: Plan['front']['proxy'], env: Env): Promise<string | null> {
  const adapter = adapterOf(proxy);
  if (adapter === null) return 'this version does not know how';
  const { passed, output } = await adapter.installed.reload(await adapter.find(env));
  return passed ? null : firstLine(output);
}

async function inContainer(command: string): Promise<string | null> {
  const [program = '', ...argv] = command.split(' ');
  const { code, err, cause } = await runQuiet(program, argv);
  return code === 0 ? null : cause === null ? firstLine(err) : reasonOf(cause);
}

function firstLine(text: string): string {
  return (
    text
      .trim()
      .split('\n')
      .find((line) => line !== '') ?? 'it gives no reason'
  );
}
