import { engineAddress, machineAddress, type EngineAddress } from '../../adapters/engine/address.ts';
import type { EngineHeard } from '../../adapters/files/found.ts';
import { Trouble } from '../../adapters/trouble.ts';
import type { SiteMap } from '../../core/map/site-map.ts';
import { absolutePath } from '../../core/plan/absolute-path.ts';
import type { HeardEngines } from '../survey/take-inventory.ts';
import { EngineListener } from './engine-listener.ts';
import type { Source } from './source.ts';

type Env = Readonly<Record<string, string | undefined>>;

/** An engine that is listened to, or why it cannot be. @property of what it is known by: another address is another engine */
interface Heeded {
  of: string;
  listener: EngineListener | null;
  trouble: EngineHeard['trouble'];
}

/** The engines themselves: that of this machine, and those of the machines of the map. */
export class EnginesSource implements Source {
  private heeded = new Map<string, Heeded>();
  private onNews: () => void = () => undefined;

  constructor(
    private readonly mapFolder: string,
    private readonly env: Env,
  ) {}

  start(onNews: () => void): void {
    this.onNews = onNews;
  }

  use({ engine, machines, cluster }: SiteMap): void {
    const wanted = new Map<string, { of: string; address: () => EngineAddress | null }>([
      [
        '',
        {
          of: `${engine?.address ?? ''} ${String(cluster)}`,
          address: () => engineAddress(engine?.address ?? null, this.env),
        },
      ],
    ]);
    for (const { name, engine: written, keys } of machines) {
      const folder = keys === null ? null : absolutePath(this.mapFolder, keys);
      wanted.set(name, { of: `${written} ${folder ?? ''}`, address: () => machineAddress(written, folder) });
    }
    for (const [name, { of, listener }] of this.heeded) {
      if (wanted.get(name)?.of === of) continue;
      listener?.stop();
      this.heeded.delete(name);
    }
    for (const [name, { of, address }] of wanted)
      if (!this.heeded.has(name)) this.heeded.set(name, { of, ...this.heed(address, name === '' && cluster) });
  }

  async read(): Promise<HeardEngines> {
    const all = await Promise.all(
      [...this.heeded].map(async ([name, { listener, trouble }]): Promise<[string, EngineHeard]> => {
        return [name, (await listener?.read()) ?? { facts: null, trouble }];
      }),
    );
    const heard = new Map(all);
    const engine = heard.get('') ?? null;
    heard.delete('');
    // No engine at all is none that does not answer.
    return { engine: engine?.facts === null && engine.trouble === null ? null : engine, machines: heard };
  }

  doubt(): void {
    for (const { listener } of this.heeded.values()) listener?.doubt();
    // Keys may have come in the meantime.
    for (const [name, { listener, trouble }] of this.heeded)
      if (listener === null && trouble !== null) this.heeded.delete(name);
  }

  stop(): void {
    for (const { listener } of this.heeded.values()) listener?.stop();
  }

  private heed(address: () => EngineAddress | null, isManager: boolean): Omit<Heeded, 'of'> {
    try {
      const found = address();
      return {
        listener: found === null ? null : new EngineListener(found, isManager, () => this.onNews()),
        trouble: null,
      };
    } catch (error) {
      if (!(error instanceof Trouble)) throw error;
      return { listener: null, trouble: { message: error.message, remedy: error.remedy } };
    }
  }
}
