import { readState } from '../../adapters/files/editions.ts';
import { takeLock } from '../../adapters/files/lock.ts';
import { exit, Trouble } from '../../adapters/trouble.ts';
import type { TestedFront } from '../../core/live/made-worse.ts';
import { programOf } from '../../core/proxies/programs.ts';
import type { World } from '../live/front-moves.ts';
import { installFront } from '../live/install-front.ts';
import { reloadFront } from '../live/reload-front.ts';
import { settleFront } from '../live/settle-front.ts';
import type { Site } from '../map/load.ts';

interface KeptInput extends World {
  cwd: string;
  onWait: (command: string) => void;
  onSettled: (words: string) => void;
}

/** Nothing is tested at the roads: that takes longer than what is followed may take, and `verify` says what is not well. */
const untested: TestedFront = { roads: [], findings: [] };

/** A front that was brought live by `install`, and is kept up to date in the same way: written, tested by itself, switched, reloaded and waited for. */
export class KeptFront {
  /** Known once it has been brought live here; whatever goes wrong, it is asked again. */
  private isRead = false;

  constructor(private readonly input: KeptInput) {}

  /** @returns the number of the edition that runs now */
  async takeUp(site: Site, signal = this.input.signal): Promise<number> {
    const { isRead } = this;
    this.isRead = false;
    const installed = await this.alone(site, () =>
      installFront({
        isRead,
        ...{ ...this.input, signal, site, keep: 10, switched: [], onStep: () => undefined },
        test: () => Promise.resolve(untested),
      }),
    );
    this.isRead = true;
    return installed.edition;
  }

  /** Certificates have other contents than before. @returns in words what was done; null when nothing needs to be */
  async takeCertificates(site: Site): Promise<string | null> {
    const { front } = site.plan;
    if (programOf(front.proxy).limits.readsCertificatesAnew) return null;
    await this.alone(site, () => reloadFront(site, this.input.env));
    return `${programOf(front.proxy).title} has reloaded the certificates`;
  }

  /** A person or a timer may be changing the same files. */
  private async alone<T>({ paths, mapFile }: Site, work: () => Promise<T>): Promise<T> {
    const { signal, onWait, onSettled } = this.input;
    const giveBack = await takeLock({
      ...{ paths, command: 'mile-marker follow', signal: () => signal },
      onWait: ({ command }) => onWait(command),
    });
    try {
      const settled = await settleFront({ folder: paths.front, map: mapFile }, this.input);
      if (settled !== null) onSettled(settled.says);
      return await work();
    } finally {
      await giveBack();
    }
  }
}

/** @throws Trouble `follow-not-installed` where the proxy runs nothing of this map yet */
export async function assertInstalled({ plan, paths }: Pick<Site, 'plan' | 'paths'>): Promise<void> {
  if ((await readState(paths.front)).live !== null) return;
  throw new Trouble({
    code: 'follow-not-installed',
    message: `${programOf(plan.front.proxy).title} runs nothing of this map yet, so there is nothing to keep up to date.`,
    remedy: 'Make it live once: mile-marker install. Then: mile-marker follow',
    exitCode: exit.badInput,
  });
}
