import { judgeAccess, type AccessEvidence } from '../../src/core/legs/gate/access.ts';
import type { Answer, Attempt } from '../../src/core/legs/answer.ts';
import { directEvidence, type DirectEvidence } from '../../src/core/legs/service/direct.ts';
import { judgeService } from '../../src/core/legs/service/service.ts';
import { answered, failed, ownError, page, told } from '../support/judged.ts';
import { plannedOf } from '../support/plan.ts';

/** What of a front's answer and of the service's own the judgement is made: the kind, how bad, and the case of the card. */

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
    'service warning other-page wrong-service/page',
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
  expect(told(judgeService({ road: nestcam, part, front, own, directs, log: null, altered: null }))).toBe(expected);
});

test.each([
  [answered(200, page('a gull')), 'service ok answers'],
  [answered(200, page('a heron')), 'service wrong unexpected expectation-unmet/text'],
  [answered(404, page('a gull')), 'service wrong unexpected expectation-unmet/status'],
])('what the map expects decides where pages do not: %j', (front, expected) => {
  const [part] = marked.parts;
  if (part === undefined) throw new Error('no part');
  const own = directOf(marked, front);
  expect(told(judgeService({ road: marked, part, front, own, directs: [own], log: null, altered: null }))).toBe(
    expected,
  );
});

const asksPassword = answered(401, '', { 'www-authenticate': 'Basic realm="Salt marsh"' });
const inside = answered(200, page('Nest camera'));
const saying = (status: number): Attempt<Answer> => answered(status, page('Sign in'), { location: '/in' });
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
    'is refused where it may come in, for certain',
    { planned: 'passes', bare: ownError(403), isCertain: true },
    'access warning refused-here gate-refused-here/certain',
  ],
  [
    'comes in by another method',
    { bare: asksPassword, others: [{ way: { method: 'OPTIONS' }, attempt: answered(204), own: answered(204) }] },
    'access wrong partly-open gate-open/method',
  ],
  [
    'is refused by every method',
    { bare: asksPassword, others: [{ way: { method: 'OPTIONS' }, attempt: ownError(405), own: answered(204) }] },
    'access ok refused',
  ],
  [
    'comes in by another spelling',
    { bare: asksPassword, others: [{ way: { host: 'NESTCAM' }, attempt: inside, own: null }] },
    'access wrong partly-open gate-open/spelled',
  ],
  [
    'is fooled by a header',
    { bare: asksPassword, forged: { claimed: '192.0.2.9', header: null, attempt: inside } },
    'access wrong forged gate-open/forged',
  ],
  [
    'is fooled by no header',
    { bare: asksPassword, forged: { claimed: '192.0.2.9', header: null, attempt: asksPassword } },
    'access ok refused',
  ],
  ['takes any password', { bare: asksPassword, wrong: inside }, 'access wrong any-password gate-open/password'],
  ['takes the right login', { bare: asksPassword, login: { person: 'wren', attempt: inside } }, 'access ok refused'],
  ...(
    [
      ['lets in whom its service lets in', 204, 200, 'access ok passes'],
      ['lets in whom its service keeps out', 401, 200, 'access wrong open gate-open/asked'],
      ['lets in, and its service is not heard', null, 200, 'access unsure word-unknown'],
      ['sends elsewhere by itself, and its service says no', 401, 302, 'access wrong open gate-open/asked'],
      ['lets in, though its service fails', 500, 200, 'access wrong open gate-open/asked'],
      ['lets in to a service that is not there', 204, 502, 'access skipped no-answer'],
      ['passes on what its service says', 302, 302, 'access ok refused'],
      ['lets nobody in, since its service is silent', null, 503, 'access wrong word-missing gate-asks-silent/silent'],
      ['lets nobody in, though its service answers', 204, 503, 'access wrong word-missing gate-asks-silent/front'],
      ['lets nobody in, since its service fails', 500, 503, 'access wrong word-missing gate-asks-silent/silent'],
    ] as const
  ).map(([what, word, got, expected]): [string, Partial<AccessEvidence>, string] => [
    what,
    {
      planned: 'asked',
      bare: saying(got),
      asked: { said: 'desk:9091/check', word: word === null ? failed('silent') : saying(word) },
    },
    expected,
  ]),
  ...(
    [
      ['none', 403, 200, 'access wrong open gate-open/device'],
      ['removed', 403, 200, 'access wrong open gate-open/device'],
      ['ended', 403, 200, 'access wrong open gate-open/device'],
      ['foreign', 403, 200, 'access wrong open gate-open/device'],
      ['none', 'passes', 200, 'access ok passes'],
      ['removed', 403, 403, 'access ok passes'],
      ['removed', 403, null, 'access ok passes'],
    ] as const
  ).map(([state, planned, got, expected]): [string, Partial<AccessEvidence>, string] => [
    `whose device is ${state} gets ${String(got)} for ${String(planned)}`,
    {
      planned: 'passes',
      bare: saying(200),
      devices: [{ state, planned, attempt: got === null ? failed('closed') : saying(got) }],
    },
    expected,
  ]),
  [
    'refuses a device of the map, which alone decides',
    { planned: 'passes', bare: saying(403), devices: [{ state: 'none', planned: 403, attempt: saying(403) }] },
    'access wrong login-refused gate-shut/device',
  ],
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
    isCertain: false,
    devices: [],
    mayBeKnown: false,
    own: directOf(nestcam, inside),
    bare: asksPassword,
    forged: null,
    login: null,
    wrong: null,
    others: [],
    asked: null,
    ...given,
  };
  expect(told(judgeAccess(evidence))).toBe(expected);
});
