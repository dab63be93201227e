import { card } from '../findings/card.ts';
import { familyOf, withPort } from '../networks/address.ts';
import type { Attempt } from './answer.ts';
import type { LegResult, Problem } from './leg.ts';

/** One attempt to connect to the front. */
export interface PortEvidence {
  address: string;
  port: number;
  listener: 'http' | 'https';
  /** The value is this machine's own address on the connection. */
  attempt: Attempt<string>;
}

const closed = card({
  id: 'port-closed',
  severity: 'error',
  summary: 'Nobody answers on a port of the front.',
  why: 'No visitor gets further than this.',
  source: 'RFC 9293 §3.5 (connection establishment)',
  messages: {
    refused: {
      message: 'The connection to {endpoint} is refused: nothing listens there.',
      remedy:
        'Start the front: mile-marker serve, or start your nginx. If it runs, check that the router passes port {port} to this machine.',
    },
    silent: {
      message: 'Nothing answers on {endpoint}: the packets are lost on the way.',
      remedy: 'Let the router pass TCP port {port} to this machine, and open it in the firewall.',
    },
    broken: {
      message: 'The connection to {endpoint} fails: {reason}.',
      remedy: 'Look at what listens on port {port} there.',
    },
  },
});

const unreachable = card({
  id: 'port-not-judged',
  severity: 'note',
  summary: 'This machine has no way to one address of the front.',
  why: 'Whether visitors reach it cannot be told from here.',
  source: 'RFC 4443 §3.1; RFC 1122 §3.2.2.1',
  messages: {
    noway: {
      message: '{endpoint} cannot be tried from here: {reason}.',
      remedy: 'Run verify again from a machine that has IPv{family}.',
    },
  },
});

export const portCards = [closed, unreachable];

/** Judges both listeners at every address of the front. Equal for all roads, so every cause is told once. */
export function judgePorts(evidence: readonly PortEvidence[]): LegResult {
  const problems = evidence.flatMap(problemOf);
  if (problems.some(({ card: { severity } }) => severity === 'error'))
    return { leg: 'port', outcome: 'wrong', says: 'closed', problems };
  const open = evidence.filter(({ attempt }) => attempt.ok);
  return {
    leg: 'port',
    outcome: open.length === 0 ? 'unsure' : 'ok',
    says: open.map(({ port }) => String(port)).join(' '),
    problems,
  };
}

function problemOf({ address, port, attempt }: PortEvidence): Problem[] {
  if (attempt.ok) return [];
  const { kind, reason } = attempt.failure;
  const family = familyOf(address);
  const data = { endpoint: withPort(address, port), port, reason, family };
  const cause = `front:${String(port)}/v${String(family)}`;
  if (kind === 'unreachable') return [{ card: unreachable, say: 'noway', data, cause }];
  return [{ card: closed, say: kind, data, cause }];
}
