import type { Answer, Attempt } from '../../src/core/legs/answer.ts';
import { judgeBypass } from '../../src/core/legs/gate/bypass.ts';
import { judgeRedirect } from '../../src/core/legs/way/redirect.ts';
import { judgeTls, type TlsEvidence } from '../../src/core/legs/tls/tls.ts';
import { answered, failed, page, told } from '../support/judged.ts';
import { plannedOf } from '../support/plan.ts';

/** What of handshakes, redirects and strangers' answers the judgement is made: the kind, how bad, and the case of the card. */

const name = 'nestcam.saltmarsh.example';
const { plan } = plannedOf(`domains: [saltmarsh.example]
front: {address: 203.0.113.24}
roads:
  tides: {to: "http://192.168.64.21:8080", gate: everyone, methods: [GET, HEAD]}
`);
const [tides] = plan.roads;
if (tides === undefined) throw new Error('no road');

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
  ['from the practice authority', { trustedBy: 'practice' }, {}, 'tls ok practice'],
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
  [
    'one of its chain is out of date',
    {
      trustedBy: null,
      chainProblem: 'CERT_HAS_EXPIRED',
      chainDates: [{ subject: 'CN=between', notBefore: 0, notAfter: now - 1 }],
    },
    {},
    'tls wrong untrusted certificate-untrusted/outdated',
  ],
  [
    'suites without forward secrecy',
    { weakSuite: { name: 'TLS_RSA_WITH_AES_128_CBC_SHA', hasSecrecy: false } },
    {},
    'tls warning weak-suite tls-weak-suite/taken',
  ],
  [
    'suites that are merely old',
    { weakSuite: { name: 'TLS_ECDHE_RSA_WITH_AES_128_CBC_SHA', hasSecrecy: true } },
    {},
    'tls ok secure tls-weak-suite/taken',
  ],
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
    chainDates: [],
    weakSuite: null,
    old: null,
    inOrder: true,
    ...seen,
  };
  const about = {
    name,
    port: 443,
    domains: ['saltmarsh.example'],
    held: null,
    authority: 'none' as const,
    renewal: 'mile-marker certs renew',
    shownToAll: 'all',
    now,
  };
  expect(told(judgeTls({ ...about, attempt: { ok: true, value } }))).toBe(expected);
  const replaced = judgeTls({ ...about, authority: 'this', attempt: { ok: true, value } });
  // A map without an authority is meant for practice; one with it is to have the real certificate.
  expect(told(replaced)).toBe(expected === 'tls ok practice' ? `${expected} certificate-practice/replaced` : expected);
});

test.each<[Attempt<never>, string | null, string]>([
  [failed('unreachable'), null, 'tls skipped not-seen'],
  [failed('silent'), null, 'tls wrong handshake-refused handshake-refused/stalls'],
  [failed('broken'), null, 'tls wrong handshake-refused handshake-refused/ended'],
  [failed('broken'), 'TLS 1.1', 'tls wrong handshake-refused handshake-refused/old-only'],
])('no handshake: %j, old %s', (attempt, onlyOld, expected) => {
  const about = {
    name,
    port: 443,
    domains: [],
    held: null,
    authority: 'none' as const,
    renewal: 'mile-marker certs renew',
    shownToAll: null,
    now,
  };
  expect(told(judgeTls({ ...about, attempt, onlyOld }))).toBe(expected);
});

const target = `https://${name}/a%2Fb?c=d`;
test.each<
  [
    string,
    Attempt<Answer>,
    Partial<{ hops: string[]; isEndless: boolean; hasEdge: boolean; leadsPlain: boolean }>,
    string,
  ]
>([
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
  [
    'ever further on',
    answered(301, '', { location: target }),
    { hops: [target], isEndless: true },
    'redirect wrong redirect-loop redirect-loop/endless',
  ],
  ['no answer', failed('refused'), {}, 'redirect wrong redirect-unanswered redirect-wrong/failed'],
  ['no way there', failed('unreachable'), {}, 'redirect skipped not-seen'],
])('plain HTTP leads on: %s', (_, attempt, more, expected) => {
  const about = { name, port: 80, expected: target, hops: [], isEndless: false, hasEdge: false, leadsPlain: null };
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
  [
    "a stranger gets another road's page",
    { strangers: stranger(answered(200, page('Tides')), name) },
    'bypass ok no-bypass',
  ],
  [
    "a stranger gets this road's page",
    { strangers: stranger(answered(200, page('Tides')), tides.name) },
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
