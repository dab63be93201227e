import { checksOf, type AsksCheck } from '../../gates/check.ts';
import { deviceHeader, tellsWhich } from '../../gates/devices.ts';
import type { ServiceWords } from '../../gates/kind.ts';
import { partAt } from '../../plan/parts.ts';
import type { PlannedLeads } from '../../plan/plan.ts';
import type { Upstream } from '../../plan/upstream.ts';
import { answerRules } from '../answer-rules.ts';
import type { Context } from '../context.ts';
import { forwardedHeaders } from '../forwarded.ts';
import { isSameClient, toldOf } from '../client.ts';
import { deviceOf, hasPeople, passGate } from '../gate.ts';
import { locationOf } from '../location.ts';
import { fileAskedFor } from '../target.ts';
import type { Act, Told } from '../verdict.ts';
import { answer, type Step, type Taken } from './step.ts';

/** Where the road leads, or the part of it that the target lies in. */
export const leads = {
  name: 'leads',
  take: takeLeads,
} as const satisfies Step;

function takeLeads(context: Context): Taken | null {
  const { road, target } = context;
  if (road === null) return null;
  const part = partAt(road, target);
  return { act: lead(part.leads, context, road), mapLine: part.where.line };
}

function lead(to: PlannedLeads, context: Context, road: NonNullable<Context['road']>): Act {
  const { request, target } = context;
  switch (to.kind) {
    case 'redirect':
      return { act: 'answer', status: to.status, location: locationOf(to, target), headers: {} };
    case 'folder':
      if (request.method !== 'GET' && request.method !== 'HEAD')
        return answer(405, { allow: (road.rules.methods ?? ['GET', 'HEAD']).join(', ') });
      return { act: 'folder', root: to.path, path: fileAskedFor(target), target, headers: {} };
    case 'service': {
      const { upstream } = to;
      if (upstream === null) return { ...answer(502), page: 'down' };
      const { headers, answer: rules } = told(context, road, upstream);
      const { said, unsaid } = wordsFor(road, context);
      return {
        act: 'forward',
        upstream,
        target,
        headers: said === null ? headers : { ...headers, ...said },
        without: [...(provesPerson(context, road) ? ['authorization'] : []), ...unsaid],
        silenceSeconds: road.rules.silenceSeconds,
        bodyLimitBytes: road.rules.bodyLimitBytes,
        answer: rules,
      };
    }
  }
}

/** What the service is told, made anew where it is not what it was told last. */
function told(context: Context, road: NonNullable<Context['road']>, upstream: Upstream): Told {
  const { asked, client, prepared } = context;
  const { listener } = context.request;
  const last = asked?.lately ?? null;
  if (last !== null && isSameClient(last.client, client) && last.listener === listener && last.upstream === upstream)
    return last;
  const { edge, ports } = prepared.plan.front;
  const headers = forwardedHeaders(road, client, listener, ports);
  // A service may be set to read the edge's own header; what anybody else wrote there must not reach it.
  if (edge !== null) headers[edge.header] ??= toldOf(client);
  if (upstream.sayHost !== null) headers['host'] = upstream.sayHost;
  const found = { client, listener, upstream, headers, answer: answerRules(road, context.request) };
  // Which origin may read the answer is another matter for each request.
  if (asked !== null && road.rules.cors === null) asked.lately = found;
  return found;
}

const nothingSaid: { said: null; unsaid: readonly string[] } = { said: null, unsaid: [] };

/** What services that the gate has asked tell the road's own; what nobody told is nobody's to say. */
function wordsFor(
  { gate }: NonNullable<Context['road']>,
  context: Context,
): { said: Record<string, string> | null; unsaid: readonly string[] } {
  const names = checksOf(gate, 'asks').flatMap(({ tell }) => tell);
  const device = deviceOf(context.request);
  const said: Record<string, string> =
    device.state === 'good' && tellsWhich(gate) ? { [deviceHeader]: device.name } : {};
  if (names.length === 0) return Object.hasOwn(said, deviceHeader) ? { said, unsaid: [] } : nothingSaid;
  const passed = passGate(gate, context).flatMap((outcome) => outcome.passed);
  for (const check of passed) if (check.kind === 'asks') Object.assign(said, toldBy(check, context.request.words));
  return { said, unsaid: names.filter((name) => !Object.hasOwn(said, name)) };
}

function toldBy({ said, tell }: AsksCheck, words: ServiceWords = {}): Record<string, string> {
  const { told = {} } = words[said] ?? {};
  return Object.fromEntries(tell.flatMap((name) => (told[name] === undefined ? [] : [[name, told[name]]])));
}

/** A password for the gate is the front's: a service that got it could be made to tell it, or take it for one of its own. */
function provesPerson({ request }: Context, road: NonNullable<Context['road']>): boolean {
  const [line] = request.headers['authorization'] ?? [];
  return line !== undefined && /^basic(?: |$)/i.test(line) && hasPeople(road.gate);
}
