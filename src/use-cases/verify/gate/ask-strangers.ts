import type { DirectEvidence } from '../../../core/legs/service/direct.ts';
import { whoseAnswer } from '../../../core/legs/service/direct.ts';
import type { StrangerEvidence } from '../../../core/legs/gate/bypass.ts';
import { inNetworks, withPort } from '../../../core/networks/address.ts';
import type { Prober } from '../asking/prober.ts';
import { strangeName } from '../asking/questions.ts';
import type { Shared } from '../testing.ts';

/** Asks every listener as one who names nothing, and as one who names what is not on the map, and sees whose page comes back. */
export function askStrangers({ input, front, directs, limiter }: Shared): Promise<StrangerEvidence[]> {
  const { plan, prober } = input;
  // What an edge shows at its bare address is its own.
  const edge = plan.front.edge?.networks ?? [];
  const tries = (['https', 'http'] as const).flatMap((scheme) =>
    front
      .open(scheme)
      .filter(({ address }) => !inNetworks(address, edge))
      .flatMap(({ address, port }) => [null, strangeName(plan)].map((name) => ({ scheme, address, port, name }))),
  );
  const known = [...directs.values()];
  return Promise.all(tries.map((one) => limiter(() => askStranger({ prober, ...one, directs: known }))));
}

interface StrangerInput {
  prober: Prober;
  scheme: 'http' | 'https';
  address: string;
  port: number;
  /** A name that is not on the map, or null for none: then the bare address is asked for. */
  name: string | null;
  directs: readonly DirectEvidence[];
}

async function askStranger(input: StrangerInput): Promise<StrangerEvidence> {
  const { prober, scheme, address, port, name, directs } = input;
  const endpoint = withPort(address, port);
  const headers = { host: name ?? endpoint };
  const attempt = await prober.ask({ scheme, address, port, name: name ?? '', target: '/', headers });
  const shows = attempt.ok && attempt.value.status < 400 ? whoseAnswer(attempt.value, directs) : null;
  return { url: `${scheme}://${endpoint}/`, asked: name ?? 'the bare address', attempt, shows };
}
