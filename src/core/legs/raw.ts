import { card } from '../findings/card.ts';
import { withPort } from '../networks/address.ts';
import type { PlannedPort } from '../plan/plan.ts';
import type { Attempt } from './answer.ts';
import { bad, ok, skipped, untested, type LegResult, type Problem } from './leg.ts';
import { notBound, notTaken } from './port.ts';

/** What came of one connection to a raw port. @property stays it was not ended at once, though nothing was said */
export interface Knock {
  from: string;
  stays: boolean;
}

/** A connection that was taken. @property admitted whether the gate lets this machine in; null when nobody knows as whom the front sees it */
type Taken = Knock & { admitted: boolean | null };

/**
 * A raw port as it was found.
 *
 * @property knocks at each address of the front; of UDP whether the machine refused
 * @property direct its service, asked past the front; null when there is no way to it from here
 * @property tls the handshake at the front, where TLS ends there and it was tried
 */
export interface RawEvidence {
  port: PlannedPort;
  knocks: ReadonlyArray<{ address: string; attempt: Attempt<Knock>; admitted: boolean | null }>;
  direct: Attempt<Knock> | null;
  tls: LegResult | null;
}

const open = card({
  id: 'raw-port-open',
  severity: 'error',
  summary: 'A raw port lets in whom its gate should refuse.',
  why: 'What listens there may trust whoever reaches it.',
  source: 'map reference: `ports`',
  messages: {
    open: {
      message: '{port} takes a connection from {from}, which its gate `{gate}` should refuse.',
      remedy:
        'Bring what is on the map live: {live}. If it is live, something else listens on that port: ss -ltnp "sport = :{number}"',
    },
  },
});

const shut = card({
  id: 'raw-port-shut',
  severity: 'error',
  summary: 'A raw port ends connections that it should pass on.',
  why: 'Nobody gets to the service.',
  source: 'map reference: `ports`',
  messages: {
    gate: {
      message:
        '{port} ends a connection from {from} at once, which its gate `{gate}` should let in; its service is well.',
      remedy: 'Bring what is on the map live: {live}',
    },
    service: {
      message: '{port} ends connections at once, and its service does not take any at {to} either: {reason}.',
      remedy: 'Start the service, or correct where `{port}` leads in the map.',
    },
    unseen: {
      message: '{port} ends connections from {from} at once.',
      remedy: 'Its service may be down: see whether it runs. If it does, bring what is on the map live: {live}',
    },
  },
});

const nowhere = card({
  id: 'raw-port-service-down',
  severity: 'error',
  summary: 'The service of a raw port takes nothing.',
  why: 'The front can pass on nothing to it.',
  source: 'RFC 9293 §3.5 (connection establishment)',
  messages: {
    down: {
      message: 'The service of {port} does not answer at {to}: {reason}.',
      remedy: 'Start it, or correct where `{port}` leads in the map.',
    },
  },
});

export const rawCards = [open, shut, nowhere];

/** Every leg of a raw port. What belongs to the web alone is left out. */
export function judgeRaw(evidence: RawEvidence): LegResult[] {
  const web = (['dns', 'redirect', 'websocket', 'bypass'] as const).map((leg) => skipped(leg, 'raw'));
  const own = evidence.port.protocol === 'udp' ? judgeUdp(evidence) : judgeTcp(evidence);
  return [...web, ...own];
}

/** UDP answers nobody who has nothing to say in its language: only that nothing listens can be known. */
function judgeUdp({ port, knocks, direct }: RawEvidence): LegResult[] {
  const refused = knocks.filter(({ attempt }) => !attempt.ok && attempt.failure.kind === 'refused');
  const cause = `front:${port.name}`;
  const [first] = refused;
  const front =
    first === undefined
      ? untested('port', 'udp')
      : bad('port', 'port-closed', notBound({ address: first.address, port: port.port }, cause));
  const service =
    direct?.ok === false && direct.failure.kind === 'refused'
      ? bad('service', 'down', downProblem(port, direct.failure.reason))
      : untested('service', 'udp');
  const access = port.gate.parts.length === 0 ? skipped('access', 'no-gate') : untested('access', 'udp');
  return [front, skipped('tls', 'raw'), access, service];
}

function judgeTcp(evidence: RawEvidence): LegResult[] {
  const { port, knocks, tls } = evidence;
  const problems = knocks.flatMap(({ address, attempt }): Problem[] =>
    attempt.ok ? [] : [notTaken({ address, port: port.port }, attempt.failure, `front:${port.name}`)],
  );
  const [worst] = problems.filter(({ say }) => say !== 'noway');
  const taken = knocks.flatMap(({ attempt, admitted }): Taken[] =>
    attempt.ok ? [{ ...attempt.value, admitted }] : [],
  );
  const secure = tls ?? (port.tls === null ? skipped('tls', 'raw') : untested('tls', 'not-seen'));
  if (worst !== undefined)
    return [{ ...bad('port', 'port-closed', worst), problems }, secure, untestedGate(evidence), serviceAlone(evidence)];
  if (taken.length === 0)
    return [{ ...untested('port', 'unreachable'), problems }, secure, untestedGate(evidence), serviceAlone(evidence)];
  const listens = ok('port', 'listens', port.port, problems);
  return [listens, secure, ...judgePassing(evidence, taken)];
}

/** Gate and service, of a port that takes connections. From each address of this machine the gate may say something else. */
function judgePassing(evidence: RawEvidence, taken: readonly Taken[]): [LegResult, LegResult] {
  const { port } = evidence;
  const stranger = taken.find(({ admitted, stays }) => admitted === false && stays);
  const service = serviceAlone(evidence);
  if (stranger !== undefined) {
    const data = { ...about(port), from: stranger.from, number: port.port };
    return [bad('access', 'open', { card: open, say: 'open', data, cause: `raw-open:${port.name}` }), service];
  }
  const passing = taken.filter(({ admitted }) => admitted !== false);
  if (passing.length > 0) return judgeAdmitted(evidence, passing);
  return [ok('access', 'closed-silently'), service.outcome === 'wrong' ? service : untested('service', 'behind-gate')];
}

/** The same for connections that the gate lets in, or may. */
function judgeAdmitted(evidence: RawEvidence, taken: readonly Taken[]): [LegResult, LegResult] {
  const { port, direct } = evidence;
  const isKnown = taken.every(({ admitted }) => admitted === true);
  const has = port.gate.parts.length > 0;
  const passes = !has
    ? skipped('access', 'no-gate')
    : isKnown
      ? ok('access', 'passes')
      : untested('access', 'address-unknown');
  const ended = taken.find(({ stays }) => !stays);
  // A front takes connections before it has one to the service, and some keep them a while when there is none.
  if (ended === undefined) return [passes, direct?.ok === true ? ok('service', 'answers') : serviceAlone(evidence)];
  // A service that hangs up on who says nothing does so through the front too.
  const hangsUp = direct?.ok === true && !direct.value.stays;
  if (hangsUp || (!isKnown && direct?.ok !== false))
    return [
      has ? untested('access', hangsUp ? 'no-answer' : 'address-unknown') : passes,
      untested('service', 'no-answer'),
    ];
  const say = direct === null ? 'unseen' : direct.ok ? 'gate' : 'service';
  const reason = direct?.ok === false ? direct.failure.reason : '';
  const data = { ...about(port), from: ended.from, reason };
  const problem: Problem = { card: shut, say, data, cause: `raw-shut:${port.name}` };
  return say === 'gate' && has
    ? [bad('access', 'refused-here', problem), untested('service', 'behind-gate')]
    : [passes, bad('service', 'closed', problem)];
}

function about(port: PlannedPort): Record<'port' | 'gate' | 'to', string> {
  return { port: port.name, gate: port.gate.name, to: placeOf(port) };
}

function untestedGate({ port }: RawEvidence): LegResult {
  return port.gate.parts.length === 0 ? skipped('access', 'no-gate') : untested('access', 'no-answer');
}

/** What can be known of the service past the front; that it answers there does not say that the front gets to it. */
function serviceAlone({ port, direct }: RawEvidence): LegResult {
  return direct?.ok === false && direct.failure.kind !== 'unreachable'
    ? bad('service', 'down', downProblem(port, direct.failure.reason))
    : untested('service', 'no-answer');
}

function downProblem(port: PlannedPort, reason: string): Problem {
  const data = { port: port.name, to: placeOf(port), reason };
  return { card: nowhere, say: 'down', data, cause: `raw-down:${port.name}` };
}

function placeOf({ to }: PlannedPort): string {
  return to === null ? 'an unknown place' : withPort(to.host, to.port);
}
