import type { Answer, Attempt } from '../../../core/legs/answer.ts';
import { mannerAfter, mannerOf, type Manner, type PortEvidence } from '../../../core/legs/way/port.ts';
import type { Limiter } from '../asking/limiter.ts';
import { probeTarget } from '../../../core/legs/targets.ts';
import type { Endpoint, Prober } from '../asking/prober.ts';

interface PortsInput {
  prober: Prober;
  addresses: readonly string[];
  ports: { http: number; https: number };
  /** Names of the map, of which a few are asked for. */
  names: readonly string[];
  /** Name and port as they stand behind the scheme. */
  authority: (scheme: 'http' | 'https', name: string) => string;
  limiter: Limiter;
}

/** One name may be unknown to a front that is well; of three that fail alike the port is to blame. */
const namesTried = 3;

/** Connects to both listeners at every address, and hears what speaks there. */
export function frontPorts({
  prober,
  addresses,
  ports,
  names,
  authority,
  limiter,
}: PortsInput): Promise<PortEvidence[]> {
  const tries = addresses.flatMap((address) =>
    (['https', 'http'] as const).map((listener) => ({ address, listener, port: ports[listener] })),
  );
  const few = names.slice(0, namesTried);
  return Promise.all(
    tries.map(async ({ listener, ...at }) => {
      const attempt = await limiter(() => prober.connect(at));
      const manner =
        attempt.ok && few.length > 0 ? await mannerAt({ listener, at, names: few, prober, authority, limiter }) : null;
      return { ...at, listener, attempt, manner };
    }),
  );
}

interface MannerInput extends Pick<PortsInput, 'names' | 'prober' | 'authority' | 'limiter'> {
  listener: 'http' | 'https';
  at: Endpoint;
}

async function mannerAt({ listener, at, names, prober, authority, limiter }: MannerInput): Promise<Manner> {
  const shake = (name: string): Promise<Attempt<object>> => limiter(() => prober.handshake(at, name));
  const question = (name: string): Promise<Attempt<Answer>> => {
    const headers = { host: authority('http', name) };
    return limiter(() => prober.ask({ ...at, scheme: 'http', name, target: probeTarget, headers }));
  };
  const [own, other] = listener === 'https' ? [shake, question] : [question, shake];
  const manner = mannerOf(listener, await Promise.all(names.map(own)));
  if (manner === 'speaks' || manner === 'mute') return manner;
  const [first = ''] = names;
  return mannerAfter(manner, await other(first));
}
