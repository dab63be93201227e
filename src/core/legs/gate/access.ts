import { isForVisitor } from '../../gates/asks.ts';
import { card } from '../../findings/card.ts';
import type { DeviceState } from '../../gates/kind.ts';
import type { PlannedRoad } from '../../plan/plan.ts';
import { headerOf, isRedirect, type Answer, type Attempt } from '../answer.ts';
import { likenessTo, type DirectEvidence } from '../service/direct.ts';
import { compare, traitsOf } from '../service/fingerprint.ts';
import { bad, ok, skipped, type LegKind, type LegResult } from '../leg.ts';
import { isFrontsOwnError } from '../../proxies/known-answers.ts';

const source = 'map reference: `gates`; RFC 9110 §15.5.2, §15.5.4';

const gateOpen = card({
  id: 'gate-open',
  severity: 'error',
  summary: 'A gate lets somebody in who must stay out.',
  why: 'Something that should be closed is open.',
  source,
  explains: ['front-alters-answer', 'differs-over-http2', 'visitor-claims-reach-service', 'own-page-not-shown'],
  messages: {
    open: {
      message: '{names} lets this machine in ({from}{as}). The gate `{gate}` must refuse it with {planned}.',
      remedy:
        'A device in front may hide the visitor’s address. Compare with the map: mile-marker explain {name} --from {from}. Make the map live: {live}',
    },
    forged: {
      message: '{names} refuses this machine, but lets it in when a header says that it comes from {claimed}.',
      remedy: 'Only `front.edge.networks` may send such headers. Make the map live: {live}',
    },
    edge: {
      message:
        '{names} refuses this machine, but lets it in through the edge when a header says that it comes from {claimed}.',
      remedy:
        'Set the edge to put the address of the visitor into {header} in place of whatever he sends. Until it does, take `replaces-header: true` off `front.edge`, and see what that closes: mile-marker check',
    },
    password: {
      message: '{names} accepts a wrong password.',
      remedy: 'See who is in the password file: mile-marker people list. Make the map live: {live}',
    },
    method: {
      message: '{names} refuses GET, but lets this machine in by {method}: the gate `{gate}` covers only some methods.',
      remedy: 'In hand-written files, put the gate on every method. Mile Marker’s configuration does: {live}',
    },
    spelled: {
      message: '{names} refuses this machine, and lets it in when the name is written as {host}.',
      remedy:
        'In hand-written files, compare the host without case and without its port. Mile Marker’s configuration does: {live}',
    },
    device: {
      message: '{names} lets in {whom}.',
      remedy: 'Make the map live: {live}. If it is, let the front read the list of devices again: {reload}',
    },
    asked: {
      message:
        '{names} lets this machine in, although the service that the gate `{gate}` asks ({said}) answers {word}.',
      remedy: 'Make the map live: {live}',
    },
    'no-password': {
      message: '{names} lets this machine in without the password that the gate `{gate}` must ask for.',
      remedy: 'Make the map live: {live}',
    },
  },
});

const gateShut = card({
  id: 'gate-shut',
  severity: 'error',
  summary: 'A gate keeps somebody out who must get in.',
  why: 'A password file that is empty, or that the proxy cannot read, keeps everybody out.',
  source,
  messages: {
    device: {
      message: '{names} refuses a device that has a certificate of this map ({status}).',
      remedy:
        'Make the map live: {live}. If it is, the front may have read an older list of devices, or one that has ended: {reload}',
    },
    login: {
      message: '{names} refuses the test login {person} with {status}.',
      remedy:
        'Test the password: mile-marker people check {person}. If it is right, check whether the proxy can read the file: mile-marker check',
    },
  },
});

const whoms: Readonly<Record<DeviceState, string>> = {
  none: 'a visitor without the certificate of a device',
  removed: 'a device that was removed',
  ended: 'a device whose certificate has ended',
  foreign: 'a device with a certificate of another authority',
};

const gateSilent = card({
  id: 'gate-asks-silent',
  severity: 'error',
  summary: 'The service that a gate asks gives no usable answer.',
  why: 'Silence lets nobody in: every visitor of these roads gets 503.',
  source,
  messages: {
    silent: {
      message: '{names}: nobody gets in. The gate `{gate}` asks {said}, which gives no usable answer ({word}).',
      remedy:
        'Start that service, or read its log. What it must answer: 2xx lets pass; 401, 403 or a redirect does not.',
    },
    front: {
      message:
        '{names}: nobody gets in. The gate `{gate}` asks {said}, which answers {word} when it is asked from here.',
      remedy: "Read the front's error log: it says why the front gets no answer. Make the map live: {live}",
    },
  },
});

const gateHeld = card({
  id: 'gate-refused-here',
  severity: 'note',
  summary: 'A gate refuses this machine, so what is behind it was not tested.',
  why: 'This machine’s own address may pass, but the front may see another one, such as the router’s.',
  source,
  messages: {
    held: {
      message: 'https://{names}: the gate `{gate}` refuses this machine ({from}{as}).',
      remedy:
        'See which address the front saw in its log. Run verify on a machine that may pass, or with a test login: mile-marker verify --login FILE',
    },
    certain: {
      message: 'https://{names}: the gate `{gate}` refuses this machine ({from}{as}). The map lets it in.',
      remedy: 'See the map’s rules: mile-marker explain {name} --from {from}. Make the map live: {live}',
    },
  },
});

const gateUnclear = card({
  id: 'gate-not-judged',
  severity: 'note',
  summary: 'The gate and its service give the same answer, so it is not clear which of them refused.',
  why: 'A service that asks for a password, or refuses by itself, hides whether the gate in front of it works.',
  source,
  messages: {
    alike: {
      message:
        'https://{names} answers {status}. That may be the gate `{gate}` or the service behind it. From {from} only the gate should answer.',
      remedy: 'Read the log of the service, and compare with the map: mile-marker explain {name} --from {from}',
    },
  },
});

export const accessCards = [gateOpen, gateShut, gateSilent, gateHeld, gateUnclear];

/** What a gate makes of a request that brings no password. */
export type Planned = 'passes' | 'asked' | 401 | 403;

/**
 * What came back at the gate of a road.
 *
 * @property from this machine's own address on the connection to the front
 * @property seen the address that the front's own log has for this machine; null when it does not say
 * @property planned what the map says to a request from the address that the front sees, as far as that is known
 * @property isCertain that address is certain: the front's log has it, or nothing lies between
 * @property mayBeKnown the front may see a public address that the gate rightly lets in
 * @property own what the service itself answers when asked directly; null when that is not known
 * @property bare without a password @property forged the same, saying by headers that it comes from `claimed`, among them by the edge's `header`; null when not tried
 * @property login with the test login, whose password the map's file may know; null without one
 * @property others the same by another harmless method, or by the name in another spelling
 * @property asked the service that the gate asks, and what it says itself to the same question (null: not asked from here); null where the gate asks none
 * @property devices the same with devices that must not count, and what the map says to each; empty where none was played
 * @property wrong with a password that is wrong for certain; null when not tried
 */
export interface AccessEvidence {
  road: PlannedRoad;
  from: string;
  seen: string | null;
  planned: Planned;
  isCertain: boolean;
  mayBeKnown: boolean;
  own: DirectEvidence | null;
  bare: Attempt<Answer>;
  forged: { claimed: string; header: string | null; attempt: Attempt<Answer> } | null;
  login: { person: string; attempt: Attempt<Answer> } | null;
  wrong: Attempt<Answer> | null;
  devices: Array<{ state: DeviceState; planned: Planned; attempt: Attempt<Answer> }>;
  others: OtherWay[];
  asked: { said: string; word: Attempt<Answer> | null } | null;
}

/**
 * The same question in other words, which the map refuses as well.
 *
 * @property own what the service itself answers to it; null when that was not asked
 */
export interface OtherWay {
  way: { method: string } | { host: string };
  attempt: Attempt<Answer>;
  own: Attempt<Answer> | null;
}

/** Judges a road's gate by what this machine may do, as the map has it. */
export function judgeAccess(evidence: AccessEvidence): LegResult {
  const { road, from, seen, planned, isCertain, mayBeKnown, own, bare, login } = evidence;
  const byDevice = judgeDevices(evidence);
  if (byDevice !== null) return byDevice;
  if (!bare.ok) {
    // Some gates say nothing to those whom they keep out.
    const isShut = planned !== 'passes' && bare.failure.kind === 'closed';
    return isShut ? ok('access', 'closed-silently') : skipped('access', 'no-answer');
  }
  if (planned === 'asked') return judgeAsked(evidence, bare.value);
  const got = outcomeOf(bare.value, own);
  const { status } = bare.value;
  const gate = road.gate.name;
  const cause = `gate:${road.name}`;
  const data = { gate, from: seen ?? from, as: seen === null ? '' : ', as the front sees it', name: road.name };
  // A service that gives no answer of its own proves nothing about the gate before it.
  if (got === 'nothing' && planned !== 'passes') return skipped('access', 'no-answer');
  if (got === 'unclear' && planned !== 'passes') {
    const unclear = { card: gateUnclear, say: 'alike', data: { ...data, status }, cause };
    return login === null ? bad('access', 'unclear', unclear, status) : withLogin(evidence);
  }
  if (got === 'passes' && planned !== 'passes') {
    if (mayBeKnown) return { ...skipped('access', 'address-unknown'), outcome: 'unsure' };
    const say = planned === 401 ? 'no-password' : 'open';
    return bad('access', 'open', { card: gateOpen, say, data: { ...data, planned }, cause });
  }
  const fooled = fooledBy(evidence, got, cause);
  if (fooled !== null) return fooled;
  // Where the map lets this machine pass, what is no plain refusal may well come from behind the gate.
  const isRefused = planned === 'passes' ? isPlainRefusal(bare.value, own) : got === 'refused';
  if (login !== null) return withLogin(evidence, isRefused);
  if (isRefused && planned === 'passes')
    return bad('access', 'refused-here', {
      card: gateHeld,
      say: isCertain ? 'certain' : 'held',
      data,
      cause: `gate-refused-here:${gate}`,
      severity: isCertain ? 'warning' : 'note',
    });
  return isRefused ? ok('access', 'refused', status) : ok('access', 'passes');
}

/** Whether a device that must not count lets somebody in, or one of this map does not although it alone decides. */
function judgeDevices({ devices, planned, bare, own }: AccessEvidence): LegResult | null {
  const passes = (attempt: Attempt<Answer>): boolean => attempt.ok && outcomeOf(attempt.value, own) === 'passes';
  const opened = devices.find((one) => one.planned !== 'passes' && passes(one.attempt));
  if (opened !== undefined)
    return bad('access', 'open', {
      card: gateOpen,
      say: 'device',
      data: { whom: whoms[opened.state] },
      cause: `gate-device:${opened.state}`,
    });
  const stranger = devices.find(({ state }) => state === 'none');
  if (stranger === undefined || stranger.planned !== 403 || planned === 403 || !stranger.attempt.ok) return null;
  // The same visitor with nothing in his hands gets an answer, so it is the device that is refused.
  if (bare.ok && bare.value.status !== 403) return null;
  if (bare.ok && outcomeOf(bare.value, own) !== 'refused') return null;
  const status = bare.ok ? String(bare.value.status) : 'no answer';
  return bad('access', 'login-refused', {
    card: gateShut,
    say: 'device',
    data: { status },
    cause: 'gate-device:refused',
  });
}

/** Where a service decides, the front must do what that service says of this machine, and let nobody in where it says nothing. */
function judgeAsked({ road, asked, own }: AccessEvidence, answer: Answer): LegResult {
  const { said, word } = asked ?? { said: '', word: null };
  const says = word?.ok === true ? word.value : null;
  const data = {
    gate: road.gate.name,
    said,
    word: word === null ? 'not asked from here' : (says?.status ?? 'no answer'),
  };
  const cause = `gate-asks:${said}`;
  const isLetIn = says !== null && says.status >= 200 && says.status <= 299;
  const isUsable = says !== null && (isLetIn || isForVisitor(asWord(says)));
  if (answer.status >= 500) {
    // The front says 503 where nobody can be let in; any other error, and a 503 of the service itself, comes from behind the gate.
    const isServices =
      (isLetIn || word === null) && own?.answer.ok === true && own.answer.value.status === answer.status;
    if (answer.status !== 503 || isServices) return skipped('access', 'no-answer');
    return bad('access', 'word-missing', { card: gateSilent, say: isUsable ? 'front' : 'silent', data, cause });
  }
  // A redirect or a refusal may be the service's own: only held against the word it says something of the gate.
  if (says === null) return { ...skipped('access', 'word-unknown'), outcome: 'unsure' };
  if (isLetIn) return ok('access', 'passes');
  if (isUsable && isSameWord(says, answer)) return ok('access', 'refused', answer.status);
  return bad('access', 'open', { card: gateOpen, say: 'asked', data, cause });
}

function asWord(answer: Answer): { status: number; location: string | undefined } {
  return { status: answer.status, location: headerOf(answer, 'location') ?? undefined };
}

/** The same status, and the same place; what is behind its question mark is another at each visit. */
function isSameWord(one: Answer, other: Answer): boolean {
  const [a, b] = [asWord(one), asWord(other)];
  return a.status === b.status && a.location?.split('?')[0] === b.location?.split('?')[0];
}

/** Whether a gate that asks a service was judged by what that service and the front said once. */
export function restsOnAWord({ kind }: LegResult, { planned }: Pick<AccessEvidence, 'planned'>): boolean {
  return planned === 'asked' && (kind === 'word-missing' || kind === 'open');
}

/** Whether a forged header or a wrong password opened what was shut. */
function fooledBy(
  { road, forged, wrong, others, own, bare }: AccessEvidence,
  got: Outcome,
  cause: string,
): LegResult | null {
  if (got !== 'refused' || !bare.ok) return null;
  const opens = (attempt: Attempt<Answer> | undefined | null): boolean =>
    attempt?.ok === true && outcomeOf(attempt.value, own) === 'passes';
  if (forged !== null && opens(forged.attempt)) {
    const { claimed, header } = forged;
    const say = header === null ? 'forged' : 'edge';
    const data = { claimed, ...(header === null ? {} : { header }) };
    return bad('access', 'forged', { card: gateOpen, say, data, cause: 'gate-forged' });
  }
  const opened = others.find((other) => isOpenedBy(other, bare.value, own));
  if (opened !== undefined) {
    const say = 'method' in opened.way ? 'method' : 'spelled';
    return bad('access', 'partly-open', { card: gateOpen, say, data: { ...opened.way, gate: road.gate.name }, cause });
  }
  if (bare.value.status !== 401 || !opens(wrong)) return null;
  return bad('access', 'any-password', { card: gateOpen, say: 'password', data: {}, cause });
}

/** Whether an answer to the same question in other words comes from behind the gate: what the service says to it when it is asked directly. */
function isOpenedBy({ attempt, own: direct }: OtherWay, bare: Answer, own: DirectEvidence | null): boolean {
  if (!attempt.ok || attempt.value.status === bare.status || isRedirect(attempt.value.status)) return false;
  if (attempt.value.status < 300) return true;
  if (direct === null) return outcomeOf(attempt.value, own) === 'passes';
  const isServices = direct.ok && compare(traitsOf(direct.value), traitsOf(attempt.value)) !== 'different';
  return isServices && !isFrontsOwnError(attempt.value) && attempt.value.status < 500;
}

function withLogin({ login, own, bare }: AccessEvidence, isRefused = false): LegResult {
  const answer = login?.attempt.ok === true ? login.attempt.value : null;
  // A front that cannot look into its password file may also fail.
  const fails = isRefused && answer !== null && answer.status >= 500 && own?.answer.ok === true;
  if (login === null || answer === null || !(fails || isPlainRefusal(answer, own)))
    return isRefused && bare.ok ? ok('access', 'refused', bare.value.status) : ok('access', 'passes');
  const data = { person: login.person, status: answer.status };
  const cause = `login:${login.person}:${String(data.status)}`;
  return bad('access', 'login-refused', { card: gateShut, say: 'login', data, cause });
}

/** Whether a gate that refuses was opened by something that changes nothing of who one is. */
export function isByTrick({ kind }: LegResult): boolean {
  return kind === 'partly-open' || kind === 'forged' || kind === 'any-password';
}

/** Whether a gate refused as the map says, with nothing against it. */
export function isSoundRefusal({ kind }: LegResult): boolean {
  return kind === 'refused' || kind === 'closed-silently';
}

/** Whether what lies behind the gate cannot be seen: it refused, and no login opened it. */
export function isBehindGate({ kind }: LegResult, hasLogin: boolean): boolean {
  if (kind === 'refused' || kind === 'closed-silently') return !hasLogin;
  return behindGate.includes(kind);
}

const behindGate: readonly LegKind[] = [
  'partly-open',
  'forged',
  'any-password',
  'login-refused',
  'refused-here',
  'unclear',
  'word-missing',
];

/** `unclear`: the gate or the service, either may have answered so; `nothing`: an error that says nothing of the gate. */
type Outcome = 'passes' | 'refused' | 'unclear' | 'nothing';

/** Whether an answer comes from behind the gate. A gate made by hand may refuse in any words, also by sending people to log in elsewhere. */
export function outcomeOf(answer: Answer, own: DirectEvidence | null): Outcome {
  const { status } = answer;
  if (status >= 500) return 'nothing';
  const direct = own?.answer.ok === true ? own.answer.value.status : null;
  const likeness = own === null ? 'nothing' : likenessTo(own, traitsOf(answer));
  if (status >= 400) {
    if (isPlainRefusal(answer, own)) return 'refused';
    if (direct === null) return 'unclear';
    return direct !== status || likeness === 'different' ? 'refused' : 'unclear';
  }
  return isRedirect(status) && direct !== null && likeness === 'different' ? 'unclear' : 'passes';
}

/** A refusal as servers make it by themselves, and not what the service says when it is asked directly. */
function isPlainRefusal(answer: Answer, own: DirectEvidence | null): boolean {
  const { status } = answer;
  const asks = status === 401 && headerOf(answer, 'www-authenticate') !== null;
  if (!asks && !(status === 403 && isFrontsOwnError(answer))) return false;
  if (own?.answer.ok !== true || own.answer.value.status !== status) return true;
  return likenessTo(own, traitsOf(answer)) === 'different';
}
