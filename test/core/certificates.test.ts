import fc from 'fast-check';
import { encodeName, txtData, updateMessage } from '../../src/adapters/dns/wire.ts';
import { parseTsigKey, replyProblem, signMessage } from '../../src/adapters/dns/tsig.ts';
import { needsTrial, restsAfterFailure, type Attempted } from '../../src/core/certificates/attempts.ts';
import { caaForbids } from '../../src/core/certificates/caa.ts';
import { certificateId, renewAt } from '../../src/core/certificates/renewal.ts';
import { covers } from '../../src/core/certificates/cover.ts';
import { remedyFor } from '../../src/core/certificates/authority-words.ts';
import { jobCronLine, jobUnits } from '../../src/core/schedule.ts';
import { plannedOf } from '../support/plan.ts';

const day = 86_400_000;

/** Each road as `road: certificate (names) by challenge, why`. */
function chosen(text: string): string[] {
  const { plan, chosenCertificates } = plannedOf(
    `domains: [saltmarsh.example, reedbed.example]\nfront: {address: 203.0.113.24}\n${text}`,
  );
  return plan.roads.map(({ name, certificate }) => {
    const planned = plan.certificates.find(({ id }) => id === certificate);
    const by = planned?.challenge ?? planned?.from ?? '';
    return `${name.replace('.saltmarsh.example', '')}: ${certificate} (${planned?.names.join(' ') ?? ''}) ${by}, ${chosenCertificates.get(name)?.why ?? ''}`;
  });
}

const s = 'saltmarsh.example';

test.each([
  ['roads: {log: ":9"}', [`log: log.${s} (log.${s}) practice, a certificate of its own`]],
  ['acme: {}\nroads: {log: ":9"}', [`log: log.${s} (log.${s}) http, a certificate of its own`]],
  [
    `acme: {challenge: dns}\nroads: {${s}: {to: ":9", gate: everyone}, www: {to: ":9", gate: everyone}, log: {to: ":9", gate: everyone}, cam.field: {to: ":9", gate: everyone}, reedbed.example: {to: ":9", gate: everyone}}`,
    [
      `${s}: ${s} (*.${s} ${s} cam.field.${s}) dns, the smallest set for ${s}`,
      `www: ${s} (*.${s} ${s} cam.field.${s}) dns, the smallest set for ${s}`,
      `log: ${s} (*.${s} ${s} cam.field.${s}) dns, the smallest set for ${s}`,
      `cam.field: ${s} (*.${s} ${s} cam.field.${s}) dns, the smallest set for ${s}`,
      'reedbed.example: reedbed.example (reedbed.example) dns, the smallest set for reedbed.example',
    ].map((line) => line.replace(`(*.${s} ${s}`, `(${s} *.${s}`)),
  ],
  ['acme: {challenge: dns}\nroads: {log: ":9"}', [`log: ${s} (*.${s}) dns, the smallest set for ${s}`]],
  [
    'acme: {challenge: dns}\nroads: {www: {to: ":9", gate: everyone}}',
    [`www: ${s} (www.${s}) dns, the smallest set for ${s}`],
  ],
  [
    `certificates: {wild: {names: ${s}, wildcard: true}, exact: {names: [www.${s}, log.${s}]}}\nroads: {www: {to: ":9", gate: everyone}, log: ":9", other: {to: ":9", gate: everyone}, a.b: ":9", named: {to: ":9", certificate: exact}}`,
    [
      `www: exact (www.${s} log.${s}) practice, it names the road`,
      `log: wild (${s} *.${s}) practice, its wildcard keeps the name of a gated road out of public logs`,
      `other: wild (${s} *.${s}) practice, its wildcard covers the road`,
      `a.b: a.b.${s} (a.b.${s}) practice, a certificate of its own`,
      `named: exact (www.${s} log.${s}) practice, as the map says`,
    ],
  ],
])('%s', (text, expected) => {
  expect(chosen(text)).toEqual(expected);
});

test('whatever the roads, every one shows a certificate that covers it, and no name is asked for twice', () => {
  const label = fc.constantFrom('a', 'b', 'c');
  const road = fc.tuple(fc.array(label, { minLength: 1, maxLength: 3 }), fc.boolean());
  fc.assert(
    fc.property(
      fc.uniqueArray(road, { selector: ([labels]) => labels.join('.'), maxLength: 8 }),
      fc.constantFrom('http', 'dns'),
      (roads, challenge) => {
        const lines = roads.map(
          ([labels, open]) => `  ${labels.join('.')}: {to: ":9", gate: ${open ? 'everyone' : 'home'}}\n`,
        );
        const text = `domains: [saltmarsh.example]\nfront: {address: 203.0.113.24}\nacme: {challenge: ${challenge}}\nroads:${lines.length === 0 ? ' {}' : ''}\n${lines.join('')}`;
        const { plan } = plannedOf(text);
        const names = plan.certificates.flatMap((certificate) => certificate.names);
        expect(new Set(names).size).toBe(names.length);
        for (const one of plan.roads) {
          const shown = plan.certificates.find(({ id }) => id === one.certificate)?.names ?? [];
          expect([one.name, covers(shown, one.name)]).toEqual([one.name, true]);
          // What only home may see is not published by its own name where a wildcard can stand for it.
          if (challenge === 'dns' && one.gate.parts.length > 0) expect(shown).not.toContain(one.name);
        }
      },
    ),
  );
});

test('renewal: a third of the life left, six days too, earlier by a fixed share, or within the window of the authority', () => {
  const life = (days: number, fingerprint = '00'): number =>
    renewAt({ notBefore: 0, notAfter: days * day, fingerprint });
  expect([life(90), life(6), life(90, 'FF:FF:FF:FF')].map((at) => Math.round((at / day) * 10) / 10)).toEqual([
    60, 4, 55.5,
  ]);
  const ninety = { notBefore: 0, notAfter: 90 * day, fingerprint: '80' };
  expect(renewAt(ninety, { start: 10 * day, end: 20 * day })).toBe(15 * day);
  expect(renewAt(ninety, { start: 20 * day, end: 10 * day })).toBe(renewAt(ninety));
});

test('the id of a certificate for renewal information is that of RFC 9773 §4.1', () => {
  const issuer = Buffer.from('69885B6B87464041E1B37B847BA0AE2CDE01C8D4', 'hex');
  expect(certificateId(issuer, '87654321')).toBe('aYhba4dGQEHhs3uEe6CuLN4ByNQ.AIdlQyE');
});

const caa = (...records: string[]) =>
  records.map((text) => {
    const [tag = '', value = '', critical] = text.split('|');
    return { tag, value, critical: critical !== undefined };
  });

test.each([
  [caa(), false, null],
  [caa('issue|authority.example'), false, null],
  [caa('issue|authority.example; validationmethods=dns-01'), false, null],
  [caa('issue|authority.example; validationmethods=http-01'), false, 'it asks for another challenge'],
  [caa('issue|authority.example; accounturi=https://a/1'), false, null],
  [caa('issue|authority.example; accounturi=https://a/2'), false, 'it asks for another challenge or another account'],
  [caa('issue|;'), false, 'it lets no authority issue'],
  [caa('issue|other.example'), false, 'it lets only other.example issue'],
  [caa('issue|other.example', 'issue|authority.example'), false, null],
  [caa('issue|authority.example', 'issuewild|;'), true, 'it lets no authority issue'],
  [caa('issue|authority.example', 'issuewild|;'), false, null],
  [caa('iodef|mailto:x@saltmarsh.example'), false, null],
  [caa('strange|x|critical'), false, 'it has the unknown critical property strange'],
])('CAA %j, wildcard %s', (records, wildcard, words) => {
  const why = caaForbids({
    records,
    identities: ['authority.example'],
    wildcard,
    challenge: 'dns',
    accountUrl: 'https://a/1',
  });
  if (words === null) expect(why).toBe(null);
  else expect(why).toContain(words);
});

test('the staging authority first, until production has issued once; a timer rests after failures, ever longer', () => {
  const attempt = (hour: number, trouble: string | null, authority = 'production'): Attempted => ({
    at: new Date(hour * 3_600_000).toISOString(),
    certificate: 'a',
    authority,
    trouble,
    notBefore: null,
  });
  expect(needsTrial('production', [attempt(1, 'x'), attempt(2, null, 'staging')], 'a')).toBe(true);
  expect(needsTrial('production', [attempt(1, null)], 'a')).toBe(false);
  expect(needsTrial('staging', [], 'a')).toBe(false);
  const rests = (past: Attempted[], hour: number): boolean => restsAfterFailure(past, 'a', hour * 3_600_000);
  expect([
    rests([], 0),
    rests([attempt(0, null)], 0),
    rests([attempt(0, 'x')], 0.9),
    rests([attempt(0, 'x')], 1.1),
  ]).toEqual([false, false, true, false]);
  const many = Array.from({ length: 9 }, () => attempt(0, 'x'));
  expect([rests(many, 23), rests(many, 25), rests([...many, attempt(0, null)], 1)]).toEqual([true, false, false]);
});

test('updates: names and texts on the wire, a signature that no changed byte survives, and key files in both forms', () => {
  expect(encodeName('A.bc.').toString('hex')).toBe('01610262630' + '0');
  expect(txtData('x'.repeat(300)).length).toBe(302);
  const file = 'key "Marsh." {\n  algorithm HMAC-SHA256;\n  secret "c2VjcmV0";\n};';
  const key = parseTsigKey(file);
  expect(key).toEqual({ name: 'marsh', algorithm: 'hmac-sha256', secret: Buffer.from('secret') });
  expect(parseTsigKey('hmac-sha512:m:c2VjcmV0')?.algorithm).toBe('hmac-sha512');
  expect(parseTsigKey('hmac-md5:m:c2VjcmV0')).toBe(null);
  // As tsig-keygen, keymgr and ddns-confgen print them, and as people copy them.
  for (const text of [
    '# hmac-sha256:marsh:c2VjcmV0\nkey:\n  - id: marsh\n    algorithm: hmac-sha256\n    secret: c2VjcmV0\n',
    'key "marsh" {\n\talgorithm hmac-sha256;\n\tsecret "c2VjcmV0";\n};\n',
    '/* for updates */ key marsh. { algorithm hmac-sha256.; // usual\n secret c2VjcmV0; };',
    'key "marsh" {\n secret "c2VjcmV0"; # first\n algorithm "hmac-sha256";\n};\nzone "a.example" { algorithm 8; };',
    'marsh:c2VjcmV0\n',
  ])
    expect(parseTsigKey(text)).toEqual(key);
  for (const text of [
    '',
    'key "marsh" { secret "c2VjcmV0"; };',
    'key marsh { algorithm hmac-sha256; secret "not base64!"; };',
  ])
    expect(parseTsigKey(text)).toBe(null);
  if (key === null) return;
  const request = signMessage(updateMessage({ id: 7, zone: 'a.example', changes: [] }), key, 1_700_000_000);
  // A reply is signed over the request's signature too (RFC 8945 §5.3), so the request is no reply to itself.
  expect(replyProblem(request.message, key, request.mac)).toBe('the signature of the reply is wrong');
  expect(replyProblem(updateMessage({ id: 7, zone: 'a.example', changes: [] }), key, request.mac)).toBe(
    'the reply is not signed',
  );
  fc.assert(
    fc.property(fc.nat(request.message.length - 1), (length) => {
      expect(replyProblem(request.message.subarray(0, length), key, request.mac)).not.toBe(null);
    }),
  );
  fc.assert(
    fc.property(fc.uint8Array({ maxLength: 200 }), (bytes) => {
      expect(replyProblem(Buffer.from(bytes), key, request.mac)).not.toBe(null);
    }),
  );
});

test('timers carry odd words as they are', () => {
  const input = {
    program: ['/opt/a b/node', '/x'],
    mapFile: "/srv/it's 5%/$m.yaml",
    more: ['nginx', '-s', 'reload'].flatMap((word) => ['--then', word]),
    owner: null,
    write: null,
  };
  expect(jobUnits('renew', input)[0]?.content).toContain(
    'ExecStart="/opt/a b/node" "/x" "certs" "renew" "--reload" "--map" "/srv/it\'s 5%%/$$m.yaml" "--then" "nginx" "--then" "-s" "--then" "reload"',
  );
  expect(jobCronLine('renew', input)).toMatch(
    /^\d+ 3,15 \* \* \* '\/opt\/a b\/node' '\/x' 'certs' 'renew' '--reload' '--map' '\/srv\/it'\\''s 5\\%\/\$m.yaml' /,
  );
});

test.each([
  ['DNS problem: NXDOMAIN looking up A for log.saltmarsh.example', 'log.saltmarsh.example. A 203.0.113.24'],
  ['No valid IP addresses found for log.saltmarsh.example', 'Add where you keep your zone'],
  ['Fetching http://log.saltmarsh.example/: Connection refused', 'no answer on port 80'],
  ['Fetching http://log.saltmarsh.example/: Timeout during connect', 'no answer on port 80'],
  [
    'Invalid response from http://log.saltmarsh.example/.well-known/acme-challenge/x: 404',
    'Somebody else answers on port 80',
  ],
  ['No TXT record found at _acme-challenge.log.saltmarsh.example', 'Wait longer'],
  ['CAA record for log.saltmarsh.example prevents issuance', 'CAA record'],
  ['invalid contact domain', 'acme.contact'],
  ['urn:ietf:params:acme:error:gulls', null],
])('what an authority says, read for a person: %s', (words, expected) => {
  const wanted = (name: string): string[] => [`${name}. A 203.0.113.24`];
  const remedy = remedyFor({ words, names: ['log.saltmarsh.example'], wanted, live: 'mile-marker write' });
  if (expected === null) expect(remedy).toBe(null);
  else expect(remedy).toContain(expected);
});
