import type { DirectEvidence } from '../../core/legs/direct.ts';
import { whoseAnswer } from '../../core/legs/direct.ts';
import type { StrangerEvidence } from '../../core/legs/bypass.ts';
import { withPort } from '../../core/networks/address.ts';
import type { Sight } from './prober.ts';

export interface StrangerInput {
  sight: Sight;
  scheme: 'http' | 'https';
  address: string;
  port: number;
  /** A name that is not on the map, or null for none: then the bare address is asked for. */
  name: string | null;
  directs: readonly DirectEvidence[];
}

/** Asks as one who names nothing, or a name that is not on the map, and sees whose page comes back. */
export async function askAsStranger({
  sight,
  scheme,
  address,
  port,
  name,
  directs,
}: StrangerInput): Promise<StrangerEvidence> {
  const endpoint = withPort(address, port);
  const headers = { host: name ?? endpoint };
  const attempt = await sight.ask({ scheme, address, port, name: name ?? '', target: '/', headers });
  const shows = attempt.ok && attempt.value.status < 400 ? whoseAnswer(attempt.value, directs) : null;
  return { url: `${scheme}://${endpoint}/`, asked: name ?? 'the bare address', attempt, shows };
}
