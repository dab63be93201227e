import { proxyNames } from '../src/core/proxies/names.ts';
import { takenBy } from '../src/core/rehearsal/taken.ts';
import { sentOf } from './support/held-against-verdict.ts';
import { decide, prepare } from '../src/core/verdict/decide.ts';
import { startFront } from './support/fronts.ts';
import { plannedOf } from './support/plan.ts';
import { folderWith } from './support/program.ts';
import { requestOf } from './support/request.ts';
import { sendRaw } from '../src/adapters/rehearsal/raw.ts';
import { practiceHead } from './support/site.ts';

const known = 'nestcam.saltmarsh.example';
const proxies = proxyNames;
const variants = ['refuse', 'not-found', '{redirect: "https://www.example.org/lost$path"}'];

/** What strangers get, from every proxy as from the verdict: over plain HTTP, inside a known name's handshake, and by an unknown one. */
test.each(proxies.flatMap((proxy) => variants.map((unknown) => [proxy, unknown] as const)))(
  '%s with unknown: %s',
  async (proxy, unknown) => {
    const { head, http, https } = await practiceHead(proxy, `  unknown: ${unknown}\n`);
    const text = `${head}roads: {nestcam: {to: ":9", gate: everyone}}\n`;
    const front = await startFront(folderWith({ 'mile-marker.yaml': text }), proxy);
    const prepared = prepare(plannedOf(text).plan);
    try {
      for (const [listener, sni, host, target] of [
        ['http', null, 'evil.example', '/a?b'],
        ['http', null, '127.0.0.1', '/'],
        ['https', known, 'evil.example', '/'],
        ['https', 'evil.example', 'evil.example', '/'],
      ] as const) {
        const request = requestOf({ listener, sni, host: [host], target, peer: '127.0.0.1' });
        const verdict = decide(prepared, request);
        const secure = listener === 'https' ? { tls: { servername: sni } } : {};
        const outcome = await sendRaw({
          port: listener === 'http' ? http : https,
          text: `GET ${target} HTTP/1.1\r\nHost: ${host}\r\nConnection: close\r\n\r\n`,
          ...secure,
        });
        const got =
          outcome.kind === 'answer'
            ? { status: outcome.status, location: outcome.headers['location'] ?? null }
            : outcome.kind;
        const { status } = takenBy(prepared, sentOf({ what: '', listener, sni, host: [host], target }));
        const wanted =
          status !== null
            ? { status, location: null }
            : verdict.act === 'answer'
              ? { status: verdict.status, location: verdict.location ?? null }
              : verdict.act.replace('close', 'closed');
        expect([listener, sni, host, got]).toEqual([listener, sni, host, wanted]);
      }
    } finally {
      await front.stop();
    }
  },
);
