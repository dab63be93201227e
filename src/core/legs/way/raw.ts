import { card } from '../../findings/card.ts';
import { withPort } from '../../networks/address.ts';
import type { PlannedPort } from '../../plan/plan.ts';
import { visible } from '../../outside/words.ts';
import type { Attempt } from '../answer.ts';
import { bad, ok, skipped, untested, type LegResult, type Problem } from '../leg.ts';
import { notBound, notTaken } from './port.ts';

/**
 * What came of one connection to a raw port.
 *
 * @property stays it was not ended at once, though nothing was said @property says the first bytes that came, one character each
 */
export interface Knock {
  from: string;
  stays: boolean;
  says: string;
}

/** A connection that was taken. @property admitted whether the gate lets this machine in; null when nobody knows as whom the front sees it */
type Taken = Knock & { admitted: boolean | null };

/**
 * A raw port as it was found.
 *
 * @property knocks at each address of the front; of UDP whether the machine refused
 * @property direct its service, asked past the front; null when there is no way to it from here
 * @property again the same once more: what stays the same of two greetings is what a service is known by
 * @property otherwise the same with PROXY protocol where the map says none, and without it where it says so; null when that was not asked
 * @property inside what the front says where TLS ends there, once the handshake is made; null when that was not asked
 * @property takesTls the front takes a handshake where the map says none
 * @property past addresses of the front at which the service itself answers, past the gate, and its port there
 * @property tls the handshake at the front, where TLS ends there and it was tried
 */
export interface RawEvidence {
  port: PlannedPort;
  knocks: ReadonlyArray<{ address: string; attempt: Attempt<Knock>; admitted: boolean | null }>;
  direct: Attempt<Knock> | null;
  again?: Attempt<Knock> | null;
  otherwise?: Attempt<Knock> | null;
  inside?: Attempt<Knock> | null;
  takesTls?: boolean;
  past?: { addresses: string[]; port: number } | null;
  tls: LegResult | null;
}

const open = card({
  id: 'raw-port-open',
  severity: 'error',
  summary: 'A raw port lets in somebody its gate should refuse.',
  why: 'The service may trust anyone who reaches it.',
  source: 'map reference: `ports`',
  messages: {
    open: {
      message: '{port} accepts a connection from {from}. Its gate `{gate}` should refuse it.',
      remedy:
        'Make the map live: {live}. If it is live, something else listens on that port: ss -ltnp "sport = :{number}"',
    },
  },
});

const shut = card({
  id: 'raw-port-shut',
  severity: 'error',
  summary: 'A raw port closes connections that it should pass on.',
  why: 'Nobody reaches the service.',
  source: 'map reference: `ports`',
  messages: {
    gate: {
      message:
        '{port} closes a connection from {from} at once. Its gate `{gate}` should let it in, and its service works.',
      remedy: 'Make the map live: {live}',
    },
    service: {
      message: '{port} closes connections at once, and its service does not accept any at {to} either: {reason}.',
      remedy: 'Start the service, or correct where `{port}` leads in the map.',
    },
    unseen: {
      message: '{port} closes connections from {from} at once.',
      remedy: 'Check that its service is running. If it is, make the map live: {live}',
    },
  },
});

const nowhere = card({
  id: 'raw-port-service-down',
  severity: 'error',
  summary: 'The service of a raw port does not answer.',
  why: 'The front has nothing to pass connections on to.',
  source: 'RFC 9293 §3.5 (connection establishment)',
  messages: {
    down: {
      message: 'The service of {port} does not answer at {to}: {reason}.',
      remedy: 'Start it, or correct where `{port}` leads in the map.',
    },
  },
});

const other = card({
  id: 'raw-port-other',
  severity: 'error',
  summary: 'A raw port leads to the wrong program, or speaks to its service in the wrong way.',
  why: 'The port is open, so it looks fine from outside. Nobody reaches the service on the map.',
  source: 'map reference: `ports`; PROXY protocol, version 1',
  messages: {
    greets: {
      message: '{port} greets visitors with "{found}", and its service at {to} with "{wanted}".',
      remedy:
        'The front, or the port itself, leads to another program: ss -ltnp "sport = :{number}". Make the map live: {live}',
    },
    nothing: {
      message: '{port} says nothing, where its service at {to} greets visitors with "{wanted}".',
      remedy:
        'Another program listens there, or the front cannot reach the service: ss -ltnp "sport = :{number}". Make the map live: {live}',
    },
    tls: {
      message: '{port} expects a TLS handshake. On the map it passes connections on as they are.',
      remedy: 'If TLS should end there, write `tls: true` at {port} in the map. If not, make the map live: {live}',
    },
    'no-proxy': {
      message: '{port}: the service at {to} expects the PROXY protocol, but the front does not send it.',
      remedy: 'Mile Marker’s configuration does, as the map says `proxy-protocol: true`. Make it live: {live}',
    },
    'extra-proxy': {
      message: '{port}: the front sends the PROXY protocol to the service at {to}, which does not understand it.',
      remedy:
        'If you want the PROXY protocol, switch it on in the service and write `proxy-protocol: true`. If not, make the map live: {live}',
    },
    wants: {
      message: '{port}: the service at {to} answers only to the PROXY protocol, which is not on the map.',
      remedy: 'Write `proxy-protocol: true` at {port} in the map, then: {live}. Or switch it off in the service.',
    },
  },
});

const bypassed = card({
  id: 'raw-port-bypassed',
  severity: 'error',
  summary: 'The service of a raw port with a gate answers past the front.',
  why: 'Anyone who uses the other port bypasses the gate.',
  source: 'map reference: `ports`; Compose Specification, "ports"',
  messages: {
    open: {
      message: 'The service of {port} also answers at {places}, past the gate `{gate}`.',
      remedy:
        'Publish it for this machine only, such as "127.0.0.1:{direct}:PORT" in its Compose file, or close port {direct} in the firewall.',
    },
  },
});

export const rawCards = [open, shut, nowhere, other, bypassed];

/** Every leg of a raw port. What belongs to the web alone is left out. */
export function judgeRaw(evidence: RawEvidence): LegResult[] {
  const web = (['dns', 'redirect', 'websocket'] as const).map((leg) => skipped(leg, 'raw'));
  const own = evidence.port.protocol === 'udp' ? judgeUdp(evidence) : judgeTcp(evidence);
  return [...web, ...own, judgePast(evidence)];
}

/** Whether the service can be reached past its gate. */
function judgePast({ port, past = null }: RawEvidence): LegResult {
  if (past === null || past.addresses.length === 0) return skipped('bypass', 'raw');
  const places = past.addresses.map((address) => withPort(address, past.port)).join(' and ');
  const data = { ...about(port), places, direct: past.port };
  return bad('bypass', 'bypass', { card: bypassed, say: 'open', data, cause: `raw-past:${port.name}` });
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
  const amiss = amissOf(evidence, taken);
  if (amiss !== null) return [passes, amiss];
  // A front takes connections before it has one to the service, and some keep them a while when there is none.
  if (ended === undefined) {
    if (direct?.ok !== true) return [passes, serviceAlone(evidence)];
    // Whether a service that waits for its client was told the visitor first cannot be seen.
    const isUnseen = port.tellsVisitor && direct.value.says === '';
    return [passes, isUnseen ? untested('service', 'says-nothing') : ok('service', 'answers')];
  }
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

/** What the front says first beside what the service says, and what that comes from; null when it fits, or the service waits for its clients. */
function amissOf(evidence: RawEvidence, taken: readonly Taken[]): LegResult | null {
  const { port, direct, again = null, otherwise = null, inside = null, takesTls = false } = evidence;
  const told = (say: string, data: Record<string, string | number> = {}): LegResult => {
    const all = { ...about(port), number: port.port, ...data };
    return bad('service', 'raw-other', { card: other, say, data: all, cause: `raw-other:${port.name}` });
  };
  const wanted = greetingOf(direct, again);
  const greetsOtherwise = (otherwise?.ok === true ? otherwise.value.says : '') !== '';
  if (wanted === '') return greetsOtherwise && !port.tellsVisitor ? told('wants') : null;
  // A visitor may come to any of the addresses.
  const first = taken.find(({ says }) => !isSameGreeting(says, wanted)) ?? taken[0];
  const said = port.tls === null ? (first?.says ?? '') : inside?.ok === true ? inside.value.says : null;
  if (said === null || isSameGreeting(said, wanted)) return null;
  const isTold = otherwise !== null && !greetsOtherwise;
  if (said === '') {
    if (takesTls) return told('tls');
    if (isTold) return told(port.tellsVisitor ? 'no-proxy' : 'extra-proxy');
    // One that ends at once is told by who ended it.
    return first?.stays === false ? null : told('nothing', { wanted: brief(wanted) });
  }
  return told('greets', { found: brief(said), wanted: brief(wanted) });
}

/** What a service says first each time; empty when it waits for its client, or says too little to be known by. */
export function greetingOf(direct: Attempt<Knock> | null, again: Attempt<Knock> | null): string {
  const [one, other = one] = [direct, again].flatMap((each) => (each?.ok === true ? [each.value.says] : []));
  if (one === undefined || other === undefined) return '';
  const same = shared(one, other);
  return same.length < fewestLetters ? '' : same;
}

/** Less may be chance. */
const fewestLetters = 4;

/** Greetings carry times and numbers: half of what stays the same must be there again. */
export function isSameGreeting(said: string, wanted: string): boolean {
  return shared(said, wanted).length >= Math.max(fewestLetters, wanted.length / 2);
}

function shared(one: string, other: string): string {
  let length = 0;
  while (length < one.length && length < other.length && one[length] === other[length]) length += 1;
  return one.slice(0, length);
}

function brief(said: string): string {
  return visible(said.trim().slice(0, 40));
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
