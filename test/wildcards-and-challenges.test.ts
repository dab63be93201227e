import { proxyNames } from '../src/core/proxies/names.ts';
import { takenBy } from '../src/core/rehearsal/taken.ts';
import { sentOf } from './support/held-against-verdict.ts';
import { chmodSync, mkdirSync, symlinkSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { tokenIn } from '../src/core/certificates/challenge.ts';
import { decide, prepare } from '../src/core/verdict/decide.ts';
import { startFront } from './support/fronts.ts';
import { plannedOf } from './support/plan.ts';
import { folderWith } from './support/program.ts';
import { requestOf } from './support/request.ts';
import { sendRaw } from '../src/adapters/rehearsal/raw.ts';
import { practiceHead } from './support/site.ts';

/** Names behind one wildcard, names beside it, and pending challenges: the same from every proxy as from the verdict. */

const name = (road: string): string => `${road}.saltmarsh.example`;
const challenge = '/.well-known/acme-challenge/';

/** SNI (null: plain HTTP), Host, target, method. */
const rows: Array<[string | null, string, string, string]> = [
  ...[
    ['a', 'a'],
    ['a', 'b'],
    ['A', 'b'],
    ['own', 'own'],
    ['own', 'a'],
    ['a', 'own'],
    ['stranger', 'stranger'],
    ['stranger', 'a'],
    ['stranger', 'own'],
    ['a', 'stranger'],
    ['deep.er', 'a'],
    ['x.a', 'x.a'],
  ].map(([sni = '', host = '']): [string, string, string, string] => [name(sni), name(host), '/', 'GET']),
  ['saltmarsh.example', name('a'), '/', 'GET'],
  [name('a'), name('a'), `${challenge}pending`, 'GET'],
  ...[
    'pending',
    'missing',
    '',
    'pending?x',
    'pending/',
    '../pending',
    '%2e%2e/pending',
    'a%2Fb',
    'linked',
    '.',
    'pending%00',
  ].map((token): [null, string, string, string] => [null, name('a'), `${challenge}${token}`, 'GET']),
  [null, name('a'), `${challenge}pending`, 'HEAD'],
  [null, name('a'), `${challenge}pending`, 'POST'],
  [null, name('b'), `${challenge}pending`, 'GET'],
  [null, name('stranger'), `${challenge}pending`, 'GET'],
  // Neither gate nor method, length or pause stands before the authority; whatever else is asked for meets them.
  ...['walled', 'asleep'].flatMap((road) =>
    ['pending', 'missing', 'pending/'].flatMap((token): Array<[null, string, string, string]> => [
      [null, name(road), `${challenge}${token}`, 'GET'],
      [null, name(road), `${challenge}${token}`, 'POST'],
    ]),
  ),
  [null, name('walled'), '/', 'POST'],
  [null, name('a'), `//.well-known/acme-challenge/pending`, 'GET'],
  [null, name('a'), `http://${name('a')}${challenge}pending`, 'GET'],
];

const proxies = proxyNames;
const unknowns = [
  ['refuse', 'nowhere'],
  ['not-found', 'nowhere'],
  // All other names show the wildcard of the rest, another one, or their own.
  ['refuse', '{to: ":9", gate: everyone}'],
  ['refuse', '{redirect: "https://www.example.org", gate: everyone, certificate: second}'],
  ['not-found', '{to: ":9", gate: shut, certificate: second, plain: true}'],
] as const;
test.each(proxies.flatMap((proxy) => unknowns.map((one) => [proxy, ...one] as const)))(
  '%s with unknown: %s, and others: %s',
  async (proxy, unknown, others) => {
    const { head, http, https } = await practiceHead(proxy, `  unknown: ${unknown}\n`);
    const text = `${head}acme: {directory: "https://127.0.0.1:1/", challenge: http}
certificates:
  marsh: {names: saltmarsh.example, wildcard: true}
  own: {names: own.saltmarsh.example}
  second: {names: saltmarsh.example, wildcard: true}
  later: {names: later.saltmarsh.example, from: acme}
roads:
  a: {to: ":9", gate: everyone}
${others === 'nowhere' ? '' : `  others: ${others}\n`}  b: {redirect: "https://www.example.org", gate: everyone, certificate: marsh}
  own: {to: ":9", gate: everyone}
  later: {to: ":9", gate: everyone}
  walled: {to: ":9", plain: true, gate: shut, methods: [POST], paths: {/.well-known: ":9"}}
  asleep: {to: ":9", plain: true, gate: shut, paused: true}
gates: {shut: {networks: 192.0.2.0/24}}
`;
    const folder = folderWith({ 'mile-marker.yaml': text });
    const holders = ['a', 'walled', 'asleep'].map(name);
    for (const holder of holders) {
      const pending = join(folder, '.mile-marker/challenges', holder, challenge);
      mkdirSync(pending, { recursive: true });
      writeFileSync(join(pending, 'pending'), 'pending.proof');
      // What somebody linked there is shown to nobody.
      writeFileSync(join(folder, 'elsewhere'), 'pending.proof');
      symlinkSync(join(folder, 'elsewhere'), join(pending, 'linked'));
    }
    // The server's workers are somebody else.
    chmodSync(folder, 0o755);
    const front = await startFront(folder, proxy);
    const prepared = prepare(plannedOf(text).plan);
    try {
      for (const [sni, host, target, method] of rows) {
        const listener = sni === null ? 'http' : 'https';
        const proof =
          tokenIn(target.replace(/^http:..[^/]+/, '')) === 'pending' && holders.includes(host) ? 'pending.proof' : null;
        const request = requestOf({ listener, sni, host: [host], target, method, peer: '127.0.0.1' });
        const verdict = decide(prepared, { ...request, challenge: proof });
        const outcome = await sendRaw({
          port: listener === 'http' ? http : https,
          text: `${method} ${target} HTTP/1.1\r\nHost: ${host}\r\nContent-Length: 0\r\nConnection: close\r\n\r\n`,
          ...(sni === null ? {} : { tls: { servername: sni } }),
        });
        const got =
          outcome.kind === 'answer'
            ? { status: outcome.status, location: outcome.headers['location'] ?? null }
            : outcome.kind;
        const { status } = takenBy(prepared, sentOf({ what: '', listener, sni, host: [host], target, method }));
        const wanted =
          status !== null
            ? { status, location: null }
            : verdict.act === 'answer'
              ? { status: verdict.status, location: verdict.location ?? null }
              : verdict.act === 'forward'
                ? { status: 502, location: null }
                : verdict.act.replace('close', 'closed');
        const what = [sni, host, method, target];
        if (verdict.because[0]?.step === 'sanity')
          expect([what, typeof got === 'string' || got.status >= 400]).toEqual([what, true]);
        else expect([what, got]).toEqual([what, wanted]);
        const isProof = outcome.kind === 'answer' && outcome.body === 'pending.proof';
        expect([what, isProof]).toEqual([
          what,
          verdict.act === 'answer' && verdict.body !== undefined && method === 'GET',
        ]);
      }
    } finally {
      await front.stop();
    }
  },
);
