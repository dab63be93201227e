import type { Answer, Attempt } from '../../core/legs/answer.ts';
import { mannerAfter, mannerOf, type Manner, type PortEvidence } from '../../core/legs/port.ts';
import type { Places } from './limiter.ts';
import { probeTarget } from './questions.ts';
import type { Endpoint, Sight } from './prober.ts';

export interface PortsInput {
  sight: Sight;
  addresses: readonly string[];
  ports: { http: number; https: number };
  /** Names of the map, of which a few are asked for. */
  names: readonly string[];
  /** Name and port as they stand behind the scheme. */
  authority: (scheme: 'http' | 'https', name: string) => string;
  places: Places;
}

/** One name may be unknown to a front that is well; of three that fail alike the port is to blame. */
const namesTried = 3;

/** Connects to both listeners at every address, and hears what speaks there. */
export function frontPorts({ sight, addresses, ports, names, authority, places }: PortsInput): Promise<PortEvidence[]> {
  const tries = addresses.flatMap((address) =>
    (['https', 'http'] as const).map((listener) => ({ address, listener, port: ports[listener] })),
  );
  const few = names.slice(0, namesTried);
  return Promise.all(
    tries.map(async ({ listener, ...at }) => {
      const attempt = await places(() => sight.connect(at));
      const manner =
        attempt.ok && few.length > 0 ? await mannerAt({ listener, at, names: few, sight, authority, places }) : null;
      return { ...at, listener, attempt, manner };
    }),
  );
}

interface MannerInput extends Pick<PortsInput, 'names' | 'sight' | 'authority' | 'places'> {
  listener: 'http' | 'https';
  at: Endpoint;
}

async function mannerAt({ listener, at, names, sight, authority, places }: MannerInput): Promise<Manner> {
  const shake = (name: string): Promise<Attempt<object>> => places(() => sight.handshake(at, name));
  const question = (name: string): Promise<Attempt<Answer>> => {
    const headers = { host: authority('http', name) };
    return places(() => sight.ask({ ...at, scheme: 'http', name, target: probeTarget, headers }));
  };
  const [own, other] = listener === 'https' ? [shake, question] : [question, shake];
  const manner = mannerOf(listener, await Promise.all(names.map(own)));
  if (manner === 'speaks' || manner === 'mute') return manner;
  const [first = ''] = names;
  return mannerAfter(manner, await other(first));
}
