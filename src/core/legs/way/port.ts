import { card } from '../../findings/card.ts';
import { familyOf, withPort } from '../../networks/address.ts';
import type { Answer, Attempt, Failure } from '../answer.ts';
import type { LegResult, Problem } from '../leg.ts';
import { wantsHttps } from '../../proxies/known-answers.ts';

/** What speaks on a port that takes connections. `other`: TLS where plain HTTP should be, or the reverse. */
export type Manner = 'speaks' | 'closes' | 'mute' | 'other' | 'garbled';

/** One attempt to connect to the front. @property manner null when nobody takes the connection */
export interface PortEvidence {
  address: string;
  port: number;
  listener: 'http' | 'https';
  /** The value is this machine's own address on the connection. */
  attempt: Attempt<string>;
  manner: Manner | null;
}

const closed = card({
  id: 'port-closed',
  severity: 'error',
  summary: 'Nobody answers on a port of the front.',
  why: 'No visitor gets past this.',
  source: 'RFC 9293 §3.5 (connection establishment)',
  messages: {
    refused: {
      message: 'The connection to {endpoint} is refused: nothing listens there.',
      remedy: 'If the front runs, let the router pass port {port} to this machine. Start the front: {start}',
    },
    silent: {
      message: 'Nothing answers on {endpoint}: the packets are lost on the way.',
      remedy: 'Open TCP port {port} in the firewall, and let the router pass it to this machine.',
    },
    udp: {
      message: 'Nothing listens on UDP port {port} at {endpoint}.',
      remedy: 'If the front runs, let the router pass UDP port {port} to this machine. Start the front: {start}',
    },
    broken: {
      message: 'The connection to {endpoint} fails: {reason}.',
      remedy: 'On that machine, see what listens on port {port}: ss -ltnp',
    },
  },
});

const otherwise = card({
  id: 'port-not-served',
  severity: 'error',
  summary: 'A port of the front accepts connections, but speaks the wrong protocol.',
  why: 'A port scan shows it as open, but no visitor gets a page.',
  source: 'RFC 9110 §4.2; RFC 8446 §4.1.2',
  messages: {
    closes: {
      message: '{endpoint} accepts connections and closes them at once.',
      remedy:
        'The program on this port forwards to nothing, or knows none of the names. Check where the router sends port {port}. On that machine, see what listens: ss -ltnp',
    },
    mute: {
      message: '{endpoint} accepts connections and then sends nothing.',
      remedy: 'The program on port {port} hangs, or is not a web server. On that machine, find it: ss -ltnp',
    },
    plain: {
      message: '{endpoint} speaks plain HTTP, but should speak HTTPS.',
      remedy:
        'In the router, send the outside port {port} to the port on which the front speaks HTTPS. In hand-written files, switch TLS on for that listener{listenTls}.',
    },
    tls: {
      message: '{endpoint} speaks HTTPS, but should speak plain HTTP, which only redirects.',
      remedy: 'In the router, send the outside port {port} to the port on which the front speaks plain HTTP.',
    },
    garbled: {
      message: '{endpoint} speaks neither HTTP nor TLS.',
      remedy: 'Check where the router sends port {port}. On that machine, see what listens: ss -ltnp',
    },
  },
});

const unreachable = card({
  id: 'port-not-judged',
  severity: 'note',
  summary: 'One address of the front was not tested: this machine has no route to it.',
  why: 'Visitors may still reach it.',
  source: 'RFC 4443 §3.1; RFC 1122 §3.2.2.1',
  messages: {
    noway: {
      message: '{endpoint} cannot be tested from here: {reason}.',
      remedy: 'Run this on a machine that has IPv{family}: mile-marker verify',
    },
  },
});

export const portCards = [closed, otherwise, unreachable];

/** Judges both listeners at every address of the front. Equal for all roads, so every cause is told once, IPv4 and IPv6 apart. */
export function judgePorts(evidence: readonly PortEvidence[]): LegResult {
  const problems = gathered(evidence.flatMap((one) => problemOf(one, isOfAll(one, evidence))));
  const worst = problems.find(({ card: { severity } }) => severity === 'error');
  if (worst !== undefined)
    return {
      leg: 'port',
      outcome: 'wrong',
      kind: worst.card === closed ? 'port-closed' : 'port-not-served',
      detail: null,
      problems,
    };
  const open = evidence.filter(({ attempt }) => attempt.ok);
  const shown = [...new Set(open.map(({ port }) => String(port)))];
  const isOpen = open.length > 0;
  return {
    leg: 'port',
    outcome: isOpen ? 'ok' : 'unsure',
    kind: isOpen ? 'listens' : 'unreachable',
    detail: isOpen ? shown.join(' ') : null,
    problems,
  };
}

/** Whether a listener is in the same way at every address: then the address is not what is wrong. */
function isOfAll({ listener, attempt, manner }: PortEvidence, evidence: readonly PortEvidence[]): boolean {
  const kindOf = (one: Attempt<string>): string => (one.ok ? 'open' : one.failure.kind);
  return evidence.every(
    (one) => one.listener !== listener || (kindOf(one.attempt) === kindOf(attempt) && one.manner === manner),
  );
}

function problemOf(
  { address, port, listener, attempt, manner }: PortEvidence,
  ofAll: boolean,
): Array<Problem & { endpoint: string }> {
  const family = familyOf(address);
  const endpoint = withPort(address, port);
  const cause = ofAll ? `front:${String(port)}` : `front:${String(port)}/v${String(family)}`;
  const data = { port, family };
  if (!attempt.ok) return [{ ...notTaken({ address, port }, attempt.failure, cause), endpoint }];
  if (manner === 'speaks' || manner === null) return [];
  const say = manner === 'other' ? (listener === 'https' ? 'plain' : 'tls') : manner;
  return [{ card: otherwise, say, data, cause, endpoint }];
}

/** A connection was not accepted: refused, lost, or without a route from this machine. `{endpoint}` is filled in where problems are gathered. */
export function notTaken(
  { address, port }: { address: string; port: number },
  { kind, reason }: Failure,
  cause: string,
): Problem {
  const data = { port, family: familyOf(address), reason, endpoint: withPort(address, port) };
  if (kind === 'unreachable') return { card: unreachable, say: 'noway', data, cause };
  return { card: closed, say: kind === 'refused' || kind === 'silent' ? kind : 'broken', data, cause };
}

/** The same of UDP, which is silent unless the machine itself refuses. */
export function notBound({ address, port }: { address: string; port: number }, cause: string): Problem {
  const data = { port, family: familyOf(address), endpoint: withPort(address, port) };
  return { card: closed, say: 'udp', data, cause };
}

/** Several addresses of one family with the same trouble stand in one sentence. */
function gathered(problems: ReadonlyArray<Problem & { endpoint: string }>): Problem[] {
  const groups = new Map<string, { problem: Problem; endpoints: string[] }>();
  for (const { endpoint, ...problem } of problems) {
    const key = `${problem.card.id} ${problem.say} ${problem.cause}`;
    const group = groups.get(key) ?? { problem, endpoints: [] };
    group.endpoints.push(endpoint);
    groups.set(key, group);
  }
  return [...groups.values()].map(({ problem, endpoints }) => ({
    ...problem,
    data: { ...problem.data, endpoint: endpoints.join(' and ') },
  }));
}

type Heard = Attempt<Answer | object>;

/**
 * What speaks on a port, by what it said when it was asked for several of its names: one that says something sound settles it.
 *
 * @param attempts handshakes on the HTTPS listener, questions on the other
 */
export function mannerOf(listener: 'http' | 'https', attempts: readonly Heard[]): Manner {
  const manners = attempts.map((attempt) => mannerOfOne(listener, attempt));
  return manners.find((manner) => manner === 'speaks') ?? manners[0] ?? 'speaks';
}

/** The same once the other language has been tried there. */
export function mannerAfter(manner: Manner, otherWay: Heard): Manner {
  // A service behind the listener may say of itself that it wants HTTPS.
  if (manner === 'other' && !otherWay.ok) return 'speaks';
  return otherWay.ok && !('status' in otherWay.value && wantsHttps(otherWay.value)) ? 'other' : manner;
}

function mannerOfOne(listener: 'http' | 'https', attempt: Heard): Manner {
  if (attempt.ok)
    return listener === 'http' && 'status' in attempt.value && wantsHttps(attempt.value) ? 'other' : 'speaks';
  const { kind, because, mute } = attempt.failure;
  if (kind === 'closed') return 'closes';
  if (kind === 'silent' && mute === true) return 'mute';
  const isGarbled = listener === 'https' ? because === 'not-tls' : because === 'not-http';
  return isGarbled ? 'garbled' : 'speaks';
}
