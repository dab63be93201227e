import { judgeAccess, type AccessEvidence } from '../../src/core/legs/access.ts';
import type { Answer, Attempt, Failure } from '../../src/core/legs/answer.ts';
import { judgeBypass } from '../../src/core/legs/bypass.ts';
import { directEvidence, type DirectEvidence } from '../../src/core/legs/direct.ts';
import type { LegResult } from '../../src/core/legs/leg.ts';
import { judgeRedirect } from '../../src/core/legs/redirect.ts';
import { judgeService } from '../../src/core/legs/service.ts';
import { judgeTls, type TlsEvidence } from '../../src/core/legs/tls.ts';
import { plannedOf } from '../support/plan.ts';

/** Tables of what came back and what each leg makes of it: the kind, how bad it is, and the rule with the case of its card that is told. */

const { plan } = plannedOf(`domains: [saltmarsh.example]
front: {address: 203.0.113.24}
gates: {staff: {people: wardens.htpasswd}}
roads:
  nestcam: {to: "http://192.168.64.20:8080", gate: staff}
  tides: {to: "http://192.168.64.21:8080", gate: everyone, methods: [GET, HEAD]}
  marked: {to: "http://192.168.64.22:8080", gate: everyone, expect: {status: 200, text: gull}}
`);
const [nestcam, tides, marked] = plan.roads;
if (nestcam === undefined || tides === undefined || marked === undefined) throw new Error('no roads');

const name = 'nestcam.saltmarsh.example';
const failed = (kind: Failure['kind'], more: Partial<Failure> = {}): Attempt<never> => ({
  ok: false,
  failure: { kind, reason: `it is ${kind}`, ...more },
});
function answered(status: number, body = '', headers: Record<string, string> = {}): Attempt<Answer> {
  return { ok: true, value: { status, headers: Object.entries(headers), body } };
}
const page = (title: string): string => `<title>${title}</title><p>${title} of the salt marsh</p>`;
const ownError = (status: number): Attempt<Answer> =>
  answered(
    status,
    `<html>\r\n<head><title>${String(status)} Error</title></head>\r\n<body>\r\n<center><h1>${String(status)} Error</h1></center>\r\n<hr><center>nginx</center>\r\n</body>\r\n</html>\r\n`,
    { server: 'nginx' },
  );

function told({ leg, outcome, kind, problems }: LegResult): string {
  const said = problems.map(({ card, say }) => `${card.id}/${say}`);
  return [`${leg} ${outcome} ${kind}`, ...said].join(' ');
}

function directOf(road: typeof nestcam, attempt: Attempt<Answer>, more: Partial<DirectEvidence> = {}): DirectEvidence {
  const [part] = road?.parts ?? [];
  if (road === undefined || part?.leads.kind !== 'service' || part.leads.upstream === null)
    throw new Error('no service');
  const about = { road: road.name, part: part.prefix, upstream: part.leads.upstream };
  return { ...directEvidence({ ...about, first: attempt, second: attempt }), ...more };
}

const nest = answered(200, page('Nest camera'));
test.each<[string, Attempt<Answer>, Attempt<Answer>, Partial<DirectEvidence>, string]>([
  ['the page of the service', nest, nest, {}, 'service ok answers'],
  ["another road's page", answered(200, page('Tides')), nest, {}, 'service wrong wrong-service wrong-service/other'],
  [
    'no page that anybody knows',
    answered(200, page('Herons')),
    nest,
    {},
    'service unsure unclear service-unclear/differs',
  ],
  [
    'the page of a server that nobody set up',
    answered(200, '<title>Welcome to nginx!</title>'),
    nest,
    {},
    'service wrong welcome-page wrong-service/welcome',
  ],
  ["the front's own 502", ownError(502), nest, {}, 'service wrong front-fails front-cannot-reach-service/error'],
  ["the front's own 504", ownError(504), nest, {}, 'service wrong front-fails front-cannot-reach-service/late'],
  ["the front's own 404", ownError(404), nest, {}, 'service wrong front-fails front-cannot-reach-service/itself'],
  ['an empty page', answered(200), nest, {}, 'service wrong empty front-cannot-reach-service/empty'],
  [
    'nothing from a service that answers',
    failed('silent'),
    nest,
    {},
    'service wrong breaks-off front-cannot-reach-service/silent',
  ],
  ['half an answer', failed('cut'), nest, {}, 'service wrong breaks-off front-cannot-reach-service/cut'],
  ['garbage', failed('broken'), nest, {}, 'service wrong breaks-off front-cannot-reach-service/broken'],
  [
    '502, and nobody listens there',
    ownError(502),
    failed('refused'),
    {},
    'service wrong down service-down/refused-port',
  ],
  ['502, and silence there', ownError(502), failed('silent'), {}, 'service wrong silent service-down/silent'],
  [
    '502, and a service that speaks TLS',
    ownError(502),
    failed('closed'),
    { takesTls: true },
    'service wrong closed service-down/speaks-https',
  ],
  [
    'a page, and a service that cannot be asked from here',
    nest,
    failed('unreachable'),
    {},
    'service unsure not-asked service-unclear/not-asked',
  ],
  [
    '400, but not without the headers of a proxy',
    answered(400, 'Bad Request by the camera'),
    answered(400, 'Bad Request by the camera'),
    { plainly: 200 },
    'service wrong not-told service-refuses-proxy/proxy',
  ],
  [
    '403, but not by its own address',
    answered(403, 'Forbidden by the camera'),
    answered(403, 'Forbidden by the camera'),
    { plainly: 403, byAddress: 200 },
    'service wrong not-told service-refuses-proxy/name',
  ],
])('the service: %s', (_, front, direct, more, expected) => {
  const [part] = nestcam.parts;
  if (part === undefined) throw new Error('no part');
  const own = directOf(nestcam, direct, more);
  const directs = [own, directOf(tides, answered(200, page('Tides')))];
  expect(told(judgeService({ road: nestcam, part, front, own, directs, log: null }))).toBe(expected);
});

test.each([
  [answered(200, page('a gull')), 'service ok answers'],
  [answered(200, page('a heron')), 'service wrong unexpected expectation-unmet/text'],
  [answered(404, page('a gull')), 'service wrong unexpected expectation-unmet/status'],
])('what the map expects decides where pages do not: %j', (front, expected) => {
  const [part] = marked.parts;
  if (part === undefined) throw new Error('no part');
  const own = directOf(marked, front);
  expect(told(judgeService({ road: marked, part, front, own, directs: [own], log: null }))).toBe(expected);
});

const asksPassword = answered(401, '', { 'www-authenticate': 'Basic realm="Salt marsh"' });
const inside = answered(200, page('Nest camera'));
test.each<[string, Partial<AccessEvidence>, string]>([
  ['passes where it must', { planned: 'passes', bare: inside }, 'access ok passes'],
  ['is asked for a password', { bare: asksPassword }, 'access ok refused'],
  ['comes in without one', { bare: inside }, 'access wrong open gate-open/no-password'],
  ['comes in from outside', { planned: 403, bare: inside }, 'access wrong open gate-open/open'],
  ['comes in, perhaps from home', { planned: 403, bare: inside, mayBeKnown: true }, 'access unsure address-unknown'],
  ['is kept out in silence', { bare: failed('closed') }, 'access ok closed-silently'],
  ['hears nothing', { bare: failed('silent') }, 'access skipped no-answer'],
  ['gets an error of the front', { bare: ownError(502) }, 'access skipped no-answer'],
  [
    'is refused where it may come in',
    { planned: 'passes', bare: ownError(403) },
    'access unsure refused-here gate-refused-here/held',
  ],
  [
    'is fooled by a header',
    { bare: asksPassword, forged: { claimed: '192.0.2.9', attempt: inside } },
    'access wrong forged gate-open/forged',
  ],
  [
    'is fooled by no header',
    { bare: asksPassword, forged: { claimed: '192.0.2.9', attempt: asksPassword } },
    'access ok refused',
  ],
  ['takes any password', { bare: asksPassword, wrong: inside }, 'access wrong any-password gate-open/password'],
  ['takes the right login', { bare: asksPassword, login: { person: 'wren', attempt: inside } }, 'access ok refused'],
  [
    'refuses the right login',
    { bare: asksPassword, login: { person: 'wren', attempt: asksPassword } },
    'access wrong login-refused gate-shut/login',
  ],
])('the gate: somebody %s', (_, given, expected) => {
  const evidence: AccessEvidence = {
    road: nestcam,
    from: '203.0.113.99',
    seen: null,
    planned: 401,
    mayBeKnown: false,
    own: directOf(nestcam, inside),
    bare: asksPassword,
    forged: null,
    login: null,
    wrong: null,
    ...given,
  };
  expect(told(judgeAccess(evidence))).toBe(expected);
});

const now = Date.UTC(2026, 4, 1);
const day = 24 * 60 * 60 * 1000;
const leaf: TlsEvidence['leaf'] = {
  dnsNames: [name],
  subject: '',
  issuer: 'CN=Authority of the tests',
  notBefore: now - 10 * day,
  notAfter: now + 80 * day,
  selfMade: false,
  fingerprint: 'aa',
};
test.each<[string, Partial<TlsEvidence>, Partial<TlsEvidence['leaf']>, string]>([
  ['all well', {}, {}, 'tls ok secure'],
  ['from the practice authority', { trustedBy: 'practice' }, {}, 'tls ok practice certificate-practice/practice'],
  ['it has ended', {}, { notAfter: now }, 'tls wrong expired certificate-dates/ended'],
  ['its last millisecond, of long life', {}, { notAfter: now + 1 }, 'tls warning expires-soon certificate-dates/soon'],
  ['14 days are left', {}, { notAfter: now + 14 * day }, 'tls ok secure'],
  [
    'a third of six days is not yet reached',
    {},
    { notBefore: now - 3 * day, notAfter: now + 3 * day },
    'tls ok secure',
  ],
  ['it has not begun', {}, { notBefore: now + 1 }, 'tls wrong not-yet-valid certificate-dates/early'],
  [
    'for another name of ours',
    {},
    { dnsNames: ['tides.saltmarsh.example'] },
    'tls wrong other-name certificate-other-name/other',
  ],
  [
    'for the default of the server',
    {},
    { dnsNames: ['tides.saltmarsh.example'], fingerprint: 'all' },
    'tls wrong other-name certificate-other-name/default',
  ],
  [
    "for somebody else's name",
    {},
    { dnsNames: ['www.example.org'] },
    'tls wrong other-name certificate-other-name/foreign',
  ],
  [
    'for no name, made by itself',
    {},
    { dnsNames: [], selfMade: true },
    'tls wrong throwaway certificate-other-name/throwaway',
  ],
  [
    'nobody trusts it',
    { trustedBy: null, chainProblem: 'DEPTH_ZERO_SELF_SIGNED_CERT' },
    {},
    'tls wrong untrusted certificate-untrusted/self-made',
  ],
  [
    'the chain is incomplete',
    { trustedBy: null, chainProblem: 'UNABLE_TO_VERIFY_LEAF_SIGNATURE' },
    {},
    'tls wrong no-chain certificate-untrusted/incomplete',
  ],
  ['a chain out of order', { inOrder: false }, {}, 'tls warning chain-order certificate-chain-order/order'],
  ['TLS 1.0 is taken too', { old: 'TLS 1.0' }, {}, 'tls wrong old-tls tls-too-old/old'],
  ['HTTP/2 is chosen and not spoken', { speaksTwo: false }, {}, 'tls wrong no-http2 chosen-http2-not-spoken/silent'],
])('the certificate: %s', (_, seen, ofLeaf, expected) => {
  const value: TlsEvidence = {
    protocol: 'TLS 1.3',
    leaf: { ...leaf, ...ofLeaf },
    trustedBy: 'public',
    chainProblem: null,
    weak: null,
    suite: 'TLS_AES_128_GCM_SHA256',
    speaksTwo: null,
    old: null,
    inOrder: true,
    ...seen,
  };
  const about = { name, port: 443, domains: ['saltmarsh.example'], held: null, shownToAll: 'all', now };
  expect(told(judgeTls({ ...about, attempt: { ok: true, value } }))).toBe(expected);
});

test.each<[Attempt<never>, string | null, string]>([
  [failed('unreachable'), null, 'tls skipped not-seen'],
  [failed('silent'), null, 'tls wrong handshake-refused handshake-refused/stalls'],
  [failed('broken'), null, 'tls wrong handshake-refused handshake-refused/ended'],
  [failed('broken'), 'TLS 1.1', 'tls wrong handshake-refused handshake-refused/old-only'],
])('no handshake: %j, old %s', (attempt, onlyOld, expected) => {
  const about = { name, port: 443, domains: [], held: null, shownToAll: null, now };
  expect(told(judgeTls({ ...about, attempt, onlyOld }))).toBe(expected);
});

const target = `https://${name}/a%2Fb?c=d`;
test.each<[string, Attempt<Answer>, Partial<{ hops: string[]; hasEdge: boolean; leadsPlain: boolean }>, string]>([
  ['for good', answered(308, '', { location: target }), {}, 'redirect ok redirects'],
  ['for now', answered(302, '', { location: target }), {}, 'redirect ok redirects redirect-temporary/temporary'],
  ['nowhere', answered(301), {}, 'redirect wrong redirect-no-place redirect-wrong/no-location'],
  ['not at all', answered(200, 'hello'), {}, 'redirect wrong stays-plain redirect-wrong/stays'],
  [
    'plain paths alone',
    answered(404),
    { leadsPlain: true },
    'redirect warning redirect-escaped redirect-wrong/escaped',
  ],
  [
    'without the query',
    answered(301, '', { location: `https://${name}/a%2Fb` }),
    {},
    'redirect wrong redirect-other-place redirect-wrong/query',
  ],
  [
    'with the path read',
    answered(301, '', { location: `https://${name}/a/b?c=d` }),
    {},
    'redirect wrong redirect-other-place redirect-wrong/path',
  ],
  [
    'to another name',
    answered(301, '', { location: 'https://www.example.org/a%2Fb?c=d' }),
    {},
    'redirect wrong redirect-other-place redirect-wrong/host',
  ],
  [
    'to plain HTTP',
    answered(301, '', { location: `http://${name}/a%2Fb?c=d` }),
    {},
    'redirect wrong redirect-other-place redirect-wrong/plain',
  ],
  [
    'to another port',
    answered(301, '', { location: `https://${name}:8443/a%2Fb?c=d` }),
    {},
    'redirect wrong redirect-other-place redirect-wrong/port',
  ],
  [
    'in a circle',
    answered(301, '', { location: target }),
    { hops: [target, target] },
    'redirect wrong redirect-loop redirect-loop/loop',
  ],
  [
    'in a circle by the edge',
    answered(301, '', { location: target }),
    { hops: [target, target], hasEdge: true },
    'redirect wrong redirect-loop redirect-loop/edge',
  ],
  ['no answer', failed('refused'), {}, 'redirect wrong redirect-unanswered redirect-wrong/failed'],
  ['no way there', failed('unreachable'), {}, 'redirect skipped not-seen'],
])('plain HTTP leads on: %s', (_, attempt, more, expected) => {
  const about = { name, port: 80, expected: target, hops: [], hasEdge: false, leadsPlain: null };
  expect(told(judgeRedirect({ ...about, attempt, ...more }))).toBe(expected);
});

const stranger = (attempt: Attempt<Answer>, shows: string | null): Parameters<typeof judgeBypass>[0]['strangers'] => [
  { url: 'https://203.0.113.24/', asked: 'the address', attempt, shows },
];
const past = { part: '/', scheme: 'http', address: '203.0.113.24', port: 8080, isHere: true } as const;
test.each<[string, Partial<Parameters<typeof judgeBypass>[0]>, string]>([
  ['nothing was tried', {}, 'bypass skipped no-answer'],
  ['a stranger gets nothing', { strangers: stranger(answered(404), null) }, 'bypass ok no-bypass'],
  ['a stranger is cut off', { strangers: stranger(failed('closed'), null) }, 'bypass ok no-bypass'],
  ["a stranger gets another road's page", { strangers: stranger(inside, name) }, 'bypass ok no-bypass'],
  [
    "a stranger gets this road's page",
    { strangers: stranger(inside, tides.name) },
    'bypass wrong bypass stranger-sees-something/service',
  ],
  [
    'a stranger is welcome',
    { strangers: stranger(answered(200, '<title>Welcome to nginx!</title>'), null) },
    'bypass wrong bypass stranger-sees-something/welcome',
  ],
  ['a forbidden method is refused', { refused: { method: 'OPTIONS', attempt: answered(405) } }, 'bypass ok no-bypass'],
  [
    'a forbidden method passes',
    { refused: { method: 'OPTIONS', attempt: answered(204) } },
    'bypass wrong bypass method-not-refused/passes',
  ],
  ['the service answers past the front', { bypasses: [past] }, 'bypass warning bypass front-bypassed/here'],
])('the bypasses: %s', (_, given, expected) => {
  expect(told(judgeBypass({ road: tides, strangers: [], refused: null, bypasses: [], ...given }))).toBe(expected);
});
