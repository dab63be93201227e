import { ask } from '../../adapters/probe/ask.ts';
import type { Answer, Attempt } from '../../core/legs/answer.ts';
import { directHeaders } from '../../core/verdict/forwarded.ts';
import type { PartAt } from './test-behind-tls.ts';
import { fromHost, type Shared } from './testing.ts';

/** @property host the Host to send; the one that the front should send when there is none */
interface DirectQuestion {
  target: string;
  method?: string;
  host?: string;
}

/** Asks the service of a part once more, as the front would or as one that alters the request. */
export async function askDirectly(
  { input }: Pick<Shared, 'input'>,
  { road, part }: Pick<PartAt, 'road' | 'part'>,
  { target, method, host }: DirectQuestion,
): Promise<Attempt<Answer>> {
  const upstream = part.leads.kind === 'service' ? part.leads.upstream : null;
  const at = fromHost(part);
  if (upstream === null || at === null) return { ok: false, failure: { kind: 'unreachable', reason: 'not dialled' } };
  const headers = directHeaders(road, upstream, input.plan.front.ports);
  return ask({
    scheme: upstream.scheme,
    address: at.host,
    port: at.port,
    servername: upstream.byName ? upstream.host : '',
    target,
    ...(method === undefined ? {} : { method }),
    headers: host === undefined ? headers : { ...headers, host },
    ...input.limits,
  });
}
