import { ask } from '../../../adapters/probe/ask.ts';
import type { Answer, Attempt } from '../../../core/legs/answer.ts';
import { directHeaders } from '../../../core/verdict/forwarded.ts';
import type { PartAt } from '../part-at.ts';
import { fromHost, type Shared } from '../testing.ts';

/**
 * @property host the Host to send; the one that the front should send when there is none
 * @property headers more of them @property to one of several copies of the service; default: the one that is nearest
 */
interface DirectQuestion {
  target: string;
  method?: string;
  sends?: number;
  host?: string;
  headers?: Record<string, string>;
  to?: { host: string; port: number };
}

/** Asks the service of a part once more, as the front would or as one that alters the request. */
export async function askDirectly(
  { input }: Pick<Shared, 'input'>,
  { road, part }: Pick<PartAt, 'road' | 'part'>,
  { target, method, sends, host, headers: more, to }: DirectQuestion,
): Promise<Attempt<Answer>> {
  const upstream = part.leads.kind === 'service' ? part.leads.upstream : null;
  const at = to ?? fromHost(part);
  if (upstream === null || at === null) return { ok: false, failure: { kind: 'unreachable', reason: 'not dialled' } };
  const headers = directHeaders(road, upstream, input.plan.front.ports);
  return ask({
    scheme: upstream.scheme,
    address: at.host,
    port: at.port,
    servername: upstream.byName ? upstream.host : '',
    target,
    ...(method === undefined ? {} : { method }),
    ...(sends === undefined ? {} : { sends }),
    headers: { ...headers, ...more, ...(host === undefined ? {} : { host }) },
    ...input.limits,
  });
}
