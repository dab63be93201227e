import { card } from '../findings/card.ts';
import type { PlannedRoad } from '../plan/plan.ts';
import { headerOf, type Answer, type Attempt } from './answer.ts';
import { bad, ok, skipped, type LegResult } from './leg.ts';
import { isFrontsOwnError } from './own-pages.ts';

const source = 'map reference: `gates`; RFC 9110 §15.5.2, §15.5.4';

const gateOpen = card({
  id: 'gate-open',
  severity: 'error',
  summary: 'A gate lets in whom it must keep out.',
  why: 'The running front is not what the map says, and what should be closed is open.',
  source,
  messages: {
    open: {
      message:
        '{names} lets in this machine, which comes from {from}{as}; the gate `{gate}` must refuse it with {planned}.',
      remedy:
        'Bring the newest map live. If the front stands behind something that hides addresses, see: mile-marker explain {name} --from {from}',
    },
    forged: {
      message: '{names} refuses this machine, and lets it in when it says by a header that it comes from {claimed}.',
      remedy: 'Let the front believe such headers from `front.edge.networks` alone: bring the newest map live.',
    },
    password: {
      message: '{names} takes a password that is wrong.',
      remedy: 'Bring the newest map live, and see who is in the password file: mile-marker people list',
    },
    'no-password': {
      message: '{names} lets in this machine without a password, which the gate `{gate}` must ask for.',
      remedy: 'Bring the newest map live.',
    },
  },
});

const gateShut = card({
  id: 'gate-shut',
  severity: 'error',
  summary: 'A gate keeps out whom it must let in.',
  why: 'A password file that the proxy cannot read, or that is empty, refuses everybody.',
  source,
  messages: {
    login: {
      message: '{names} refuses the test login {person} with {status}.',
      remedy:
        'Try the password here: mile-marker people check {person}. If it is right, the proxy may not read the file: mile-marker check',
    },
  },
});

const gateHeld = card({
  id: 'gate-held',
  severity: 'note',
  summary: 'A gate refuses this machine, so that what lies behind it cannot be seen from here.',
  why: 'The map lets this machine pass by the address that it has here; the front may see another one, such as that of the router.',
  source,
  messages: {
    held: {
      message: 'https://{names}: the gate `{gate}` refuses this machine, which comes from {from}{as}.',
      remedy:
        'See which address the front saw in its log, or drive from a machine that may pass, or give a test login with --login FILE.',
    },
  },
});

export const accessCards = [gateOpen, gateShut, gateHeld];

/** What a gate makes of a request that brings no password. */
export type Planned = 'passes' | 401 | 403;

/**
 * What came back at the gate of a road.
 *
 * @property from this machine's own address on the connection to the front
 * @property seen the address that the front's own log has for this machine; null when it does not say
 * @property planned what the map says to a request from the address that the front sees, as far as that is known
 * @property mayBeKnown the front may see a public address that the gate rightly lets in
 * @property bare without a password @property forged the same, saying by headers that it comes from `claimed`; null when not tried
 * @property login with the test login, whose password the map's file may know; null without one
 * @property wrong with a password that is wrong for certain; null when not tried
 */
export interface AccessEvidence {
  road: PlannedRoad;
  from: string;
  seen: string | null;
  planned: Planned;
  mayBeKnown: boolean;
  /** What the service itself answers when asked directly; null when that is not known. */
  directStatus: number | null;
  bare: Attempt<Answer>;
  forged: { claimed: string; attempt: Attempt<Answer> } | null;
  login: { person: string; attempt: Attempt<Answer> } | null;
  wrong: Attempt<Answer> | null;
}

/** Judges a road's gate by what this machine may do, as the map has it. */
export function judgeAccess(evidence: AccessEvidence): LegResult {
  const { road, from, seen, planned, mayBeKnown, directStatus: direct, bare, forged, login, wrong } = evidence;
  if (!bare.ok) return skipped('access', 'no answer');
  const got = outcomeOf(bare.value, direct);
  const gate = road.gate.name;
  const cause = `gate:${road.name}`;
  const data = { gate, from: seen ?? from, as: seen === null ? '' : ', as the front sees it', name: road.name };
  if (got === 'passes' && planned !== 'passes') {
    // A service that gives no answer of its own proves nothing about the gate before it.
    if (bare.value.status >= 500) return skipped('access', 'no answer');
    if (mayBeKnown) return { leg: 'access', outcome: 'unsure', says: 'address not known', problems: [] };
    const say = planned === 401 ? 'no-password' : 'open';
    return bad('access', 'open', { card: gateOpen, say, data: { ...data, planned }, cause });
  }
  if (
    forged?.attempt.ok === true &&
    got !== 'passes' &&
    outcomeOf(forged.attempt.value, direct) === 'passes' &&
    forged.attempt.value.status < 500
  ) {
    return bad('access', 'forged', {
      card: gateOpen,
      say: 'forged',
      data: { claimed: forged.claimed },
      cause: 'gate-forged',
    });
  }
  if (wrong?.ok === true && got === 401 && outcomeOf(wrong.value, direct) === 'passes' && wrong.value.status < 500)
    return bad('access', 'any password', { card: gateOpen, say: 'password', data: {}, cause });
  if (login?.attempt.ok === true && outcomeOf(login.attempt.value, direct) !== 'passes') {
    const told = { person: login.person, status: login.attempt.value.status };
    return bad('access', 'login refused', {
      card: gateShut,
      say: 'login',
      data: told,
      cause: `login:${login.person}:${String(told.status)}`,
    });
  }
  if (got !== 'passes' && planned === 'passes' && login === null) {
    return bad('access', 'gate held', { card: gateHeld, say: 'held', data, cause: `gate-held:${gate}` });
  }
  return ok('access', got === 'passes' ? 'may pass' : `refused, ${String(got)}`);
}

/** Whether what lies behind the gate cannot be seen: it refused, and no login opened it. */
export function isBehindGate({ says, outcome }: LegResult, hasLogin: boolean): boolean {
  if (outcome === 'ok') return says.startsWith('refused') && !hasLogin;
  return ['forged', 'any password', 'login refused', 'gate held'].includes(says);
}

/** Whether an answer is the gate's refusal, and not what the service itself says. */
export function outcomeOf(answer: Answer, direct: number | null): Planned {
  const { status } = answer;
  if (status === 401 && direct !== 401 && headerOf(answer, 'www-authenticate') !== null) return 401;
  if (status === 403 && direct !== 403 && isFrontsOwnError(answer)) return 403;
  return 'passes';
}
