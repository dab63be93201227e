import type { CertificateFacts } from '../../core/certificates/cover.ts';
import type { LegAt } from '../../core/legs/addresses.ts';
import type { Attempt } from '../../core/legs/answer.ts';
import { judgeTls, type TlsEvidence } from '../../core/legs/tls.ts';
import type { Endpoint, Sight } from './prober.ts';

export interface TlsInput {
  sight: Sight;
  name: string;
  /** Every address at which the front speaks HTTPS. */
  places: readonly Endpoint[];
  domains: readonly string[];
  held: CertificateFacts | null;
  /** Fingerprint of what those see at an address who name nothing. */
  shownToAll: ReadonlyMap<string, string>;
  /** Whether chains come in order, by the fingerprint of their leaf: the same chain is looked at once. */
  orders: Map<string, Promise<boolean | null>>;
  now: number;
}

/** At every address that speaks HTTPS, since one of two may be answered by something else. */
export async function driveTls(input: TlsInput): Promise<LegAt[]> {
  const { name, places, domains, held, shownToAll, now } = input;
  const results: LegAt[] = [];
  for (const place of places) {
    const { attempt, onlyOld } = await look(input, place);
    const { address, port } = place;
    const shown = shownToAll.get(address) ?? null;
    const result = judgeTls({ name, attempt, onlyOld, port, domains, held, shownToAll: shown, now });
    results.push({ address, result });
  }
  return results;
}

async function look(
  { sight, name, orders }: TlsInput,
  place: Endpoint,
): Promise<{ attempt: Attempt<TlsEvidence>; onlyOld: string | null }> {
  const attempt = await sight.handshake(place, name);
  if (!attempt.ok) {
    const mayBeOld = /protocol version|unsupported protocol|closed/i.test(attempt.failure.reason);
    return { attempt, onlyOld: mayBeOld ? await sight.oldProtocol(place, name) : null };
  }
  const { fingerprint } = attempt.value.leaf;
  const key = `${place.address} ${fingerprint}`;
  const order = orders.get(key) ?? sight.chainInOrder(place, name);
  orders.set(key, order);
  const [old, inOrder] = await Promise.all([sight.oldProtocol(place, name), order]);
  return { attempt: { ok: true, value: { ...attempt.value, old, inOrder } }, onlyOld: null };
}
