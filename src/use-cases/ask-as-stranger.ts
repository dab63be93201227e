import { ask } from '../adapters/probe/ask.ts';
import type { Limits } from '../adapters/probe/connect.ts';
import type { StrangerEvidence } from '../core/legs/bypass.ts';
import { whoseAnswer, type DirectEvidence } from '../core/legs/service.ts';
import { withPort } from '../core/networks/address.ts';

export interface StrangerInput {
  scheme: 'http' | 'https';
  address: string;
  port: number;
  directs: readonly DirectEvidence[];
  limits: Limits;
}

/** Asks for the bare address, as one who names nothing, and sees whose page comes back. */
export async function askAsStranger({
  scheme,
  address,
  port,
  directs,
  limits,
}: StrangerInput): Promise<StrangerEvidence> {
  const endpoint = withPort(address, port);
  const attempt = await ask({ scheme, address, port, target: '/', headers: { host: endpoint }, ...limits });
  const shows = attempt.ok ? whoseAnswer(attempt.value, directs) : null;
  return { url: `${scheme}://${endpoint}/`, attempt, shows };
}
