import type { AsksCheck } from '../../gates/check.ts';
import { withPort } from '../../networks/address.ts';
import type { PlannedRoad } from '../../plan/plan.ts';
import type { Context } from '../context.ts';
import { answerRules } from '../answer-rules.ts';
import { allowedOrigin, isPreflight, preflightHeaders } from '../cors.ts';
import { forwardedHeaders } from '../forwarded.ts';
import { stopOf, type Stop } from '../gate.ts';
import type { Act } from '../verdict.ts';
import { answer, lineOf, ofRoad, type Step, type Taken } from './step.ts';

/** RFC 9110 §15.6.4. Before the gate: a road that is off asks nobody for anything. */
export const paused = {
  name: 'paused',
  take: takePaused,
  passing: () => ({ words: 'the road is open', mapLine: 0 }),
  deciding: () => 'switched off for a while',
} as const satisfies Step;

function takePaused({ road }: Context): Taken | null {
  return road?.paused === true ? { act: { ...answer(503), page: 'paused' }, mapLine: lineOf(road, 'paused') } : null;
}

/** RFC 9110 §15.5.14, by the length that the request announces. One that announces none is cut off by the proxy as it grows. */
export const bodyLimit = {
  name: 'body-limit',
  take: takeBodyLimit,
  passing: ofRoad('body-limit', ({ rules }) =>
    rules.bodyLimitBytes === null ? null : `not longer than ${String(rules.bodyLimitBytes)} bytes`,
  ),
  deciding: () => 'longer than is allowed',
} as const satisfies Step;

function takeBodyLimit({ road, request }: Context): Taken | null {
  const limit = road?.rules.bodyLimitBytes ?? null;
  if (road === null || limit === null || Number(request.headers['content-length']?.[0] ?? 0) <= limit) return null;
  return { act: answer(413), mapLine: lineOf(road, 'body-limit') };
}

/** RFC 9110 §15.5.6. */
export const method = {
  name: 'method',
  take: takeMethod,
  passing: ofRoad('methods', ({ rules }, { method }) =>
    rules.methods === null ? null : `${method} is one of ${rules.methods.join(', ')}`,
  ),
  deciding: ({ request, road }) => `${request.method} is none of ${(road?.rules.methods ?? []).join(', ')}`,
} as const satisfies Step;

function takeMethod({ road, request }: Context): Taken | null {
  const methods = road?.rules.methods ?? null;
  if (road === null || methods === null || methods.includes(request.method)) return null;
  return { act: answer(405, { allow: methods.join(', ') }), mapLine: lineOf(road, 'methods') };
}

/** Before the gate, since a preflight carries no credentials (Fetch standard, CORS protocol). */
export const corsPreflight = {
  name: 'cors-preflight',
  take: takeCorsPreflight,
  passing: ofRoad('cors', ({ rules }) => (rules.cors === null ? null : 'it is no preflight')),
  deciding: () => 'a browser asks on behalf of another origin',
} as const satisfies Step;

function takeCorsPreflight({ road, request }: Context): Taken | null {
  const cors = road?.rules.cors ?? null;
  if (road === null || cors === null || !isPreflight(request)) return null;
  const mapLine = lineOf(road, 'cors');
  if (allowedOrigin(cors, request.headers) === null) return { act: answer(403), mapLine };
  const headers = Object.fromEntries(preflightHeaders(cors).map(([name, value]) => [name.toLowerCase(), value]));
  return { act: answer(204, headers), mapLine };
}

/** RFC 6585 §4, before passwords, since hashing is costly. */
export const rate = {
  name: 'rate',
  take: takeRate,
  passing: ofRoad(
    'rate',
    ({ rules, lines }) => {
      if (rules.rate === null) return null;
      const { requests, perSeconds, burst } = rules.rate;
      const by = lines['rate'] === undefined ? ', which every gate with people has' : '';
      return `within ${String(requests)}/${perSeconds === 1 ? 's' : 'm'} burst ${String(burst)}${by}`;
    },
    'gate',
  ),
  deciding: () => 'too many requests',
} as const satisfies Step;

function takeRate({ road, request }: Context): Taken | null {
  const allowed = road?.rules.rate ?? null;
  if (road === null || allowed === null || !request.overRate) return null;
  const wait = String(Math.ceil(allowed.perSeconds / allowed.requests));
  return { act: answer(429, { 'retry-after': wait }), mapLine: lineOf(road, 'rate', 'gate') };
}

/** Networks first (403), people after (401, RFC 7617 §2). */
export const gate = {
  name: 'gate',
  take: takeGate,
} as const satisfies Step;

function takeGate(context: Context): Taken | null {
  const { road } = context;
  const stop = road === null ? null : stopOf(road.gate, context);
  if (road === null || stop === null) return null;
  // What a part of one's own says stands under `gates`; built-in ones have only the road.
  return { act: actAt(stop, road, context), mapLine: stop.part.where.line };
}

function actAt(stop: Stop, road: PlannedRoad, context: Context): Act {
  if ('open' in stop) return questionTo(stop.open, road, context);
  const { answers } = stop.refusal;
  switch (answers.by) {
    case 'password':
      return answer(401, { 'www-authenticate': `Basic realm="${road.name}"` });
    case 'front':
      return answers.status === 403
        ? { ...answer(403), page: 'refused' }
        : { ...answer(503), body: 'The service that decides who may open this page gives no answer.\n' };
    case 'service': {
      const { status, location } = answers.word;
      return {
        act: 'relay',
        said: answers.said,
        status,
        ...(location === undefined ? {} : { location }),
        answer: answerRules(road, context.request),
      };
    }
  }
}

/** What a service is asked, as sign-in programs expect it: who wants what, and by which method. */
function questionTo({ said, upstream, path, tell }: AsksCheck, road: PlannedRoad, context: Context): Act {
  const { client, request, target, prepared } = context;
  if (upstream === null) throw new Error('nobody is asked where nobody is known: this is a mistake in Mile Marker');
  const { listener, method } = request;
  const forwarded = forwardedHeaders(road, client, listener, prepared.plan.front.ports);
  const scheme = forwarded['x-forwarded-proto'] ?? 'https';
  const authority = forwarded['x-forwarded-host'] ?? road.authority;
  return {
    act: 'ask',
    ...{ said, upstream, target: path, tell },
    headers: {
      ...forwarded,
      host: withPort(upstream.host, upstream.port),
      'x-original-method': method,
      'x-original-url': `${scheme}://${authority}${target}`,
      'x-forwarded-method': method,
      'x-forwarded-uri': target,
    },
  };
}
