import { proxyNames } from '../../src/core/proxies/names.ts';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { FourServers } from '../support/four-servers.ts';
import type { ProxyName } from '../support/fronts.ts';

/** What visitors notice while `install` moves a map from one proxy to another: `npm run hand-over` prints it. */

/** Asks for as long as its folder has no file `stop`: on new connections, and on kept ones that are opened anew when they were closed. */
const visitor = `
const https = require('https'), fs = require('fs');
const name = 'log.saltmarsh.example', until = () => fs.existsSync(process.argv[2] + '/stop');
const ask = (agent) => new Promise((resolve) => {
  const request = https.request({ host: '127.0.0.1', port: 443, servername: name, headers: { host: name }, rejectUnauthorized: false, agent }, (answer) => {
    answer.resume().on('end', () => resolve(answer.statusCode === 200 ? 'ok' : String(answer.statusCode)));
    answer.on('error', () => resolve('cut'));
  });
  request.on('error', (error) => resolve(request.reusedSocket ? 'closed' : error.code));
  request.end();
});
const count = { fresh: 0, freshLost: 0, kept: 0, keptAgain: 0, keptLost: 0, longest: 0, reasons: {} };
const fresh = async () => {
  for (; !until(); count.fresh += 1) {
    const begun = Date.now(), got = await ask(new https.Agent({ keepAlive: false }));
    count.longest = Math.max(count.longest, Date.now() - begun);
    if (got !== 'ok') { count.freshLost += 1; count.reasons[got] = (count.reasons[got] ?? 0) + 1; await new Promise((r) => setTimeout(r, 5)); }
  }
};
const kept = async () => {
  const agent = new https.Agent({ keepAlive: true, maxSockets: 1 });
  for (; !until(); count.kept += 1) {
    let got = await ask(agent);
    // As browsers do (RFC 9110 section 9.2.2): once more on a new connection, where a kept one was closed.
    if (got === 'closed') { count.keptAgain += 1; got = await ask(agent); }
    if (got !== 'ok') { count.keptLost += 1; count.reasons['kept ' + got] = (count.reasons['kept ' + got] ?? 0) + 1; }
    await new Promise((r) => setTimeout(r, 2));
  }
};
Promise.all([fresh(), fresh(), kept(), kept()]).then(() => fs.writeFileSync(process.argv[2] + '/counted', JSON.stringify(count)));
`;

interface Counted {
  fresh: number;
  freshLost: number;
  kept: number;
  keptAgain: number;
  keptLost: number;
  longest: number;
  reasons: Record<string, number>;
}

const proxies = proxyNames;
const moves = proxies.flatMap((from) => proxies.filter((to) => to !== from).map((to) => [from, to] as const));

test('what is lost between each two proxies', async () => {
  const machine = await FourServers.start();
  const say = (proxy: ProxyName): void =>
    writeFileSync(
      machine.map,
      `domains: [saltmarsh.example]
front: {address: 127.0.0.1, proxy: ${proxy}, home-networks: [127.0.0.0/8]}
engine: none
roads: {log: {to: ":9001", gate: everyone}}
`,
    );
  const install = async (proxy: ProxyName, ...more: string[]): Promise<number> => {
    say(proxy);
    const ran = await machine.run(['install', '--yes', '--no-rehearsal', ...more]);
    if (ran.code !== 0) throw new Error(ran.err);
    return ran.code ?? 3;
  };
  let live: ProxyName | null = null;
  const away = (to: ProxyName): string[] =>
    live === 'httpd' && to !== 'httpd' ? ['--replace', '/etc/apache2/ports.conf'] : [];
  try {
    say('builtin');
    await machine.run(['certs', 'make']);
    writeFileSync(join(machine.folder, 'visitor.js'), visitor);
    const lines: string[] = [];
    for (const [from, to] of moves) {
      if (live !== from) await install(from, ...away(from));
      live = from;
      const own = join(machine.folder, `${from}-${to}`);
      await machine.sh(
        `mkdir ${own}; ${process.execPath} ${machine.folder}/visitor.js ${own} > /dev/null 2>&1 & sleep 1`,
      );
      await install(to, ...away(to));
      live = to;
      await machine.sh(`sleep 2; touch ${own}/stop; while [ ! -e ${own}/counted ]; do sleep 0.1; done`);
      const counted = JSON.parse((await machine.sh(`cat ${own}/counted`)).out) as Counted;
      const { fresh, freshLost, kept, keptAgain, keptLost, longest, reasons } = counted;
      const why = Object.entries(reasons)
        .map(([reason, number]) => `${String(number)} ${reason}`)
        .join(', ');
      lines.push(
        `${from} to ${to}`.padEnd(20) +
          `new connections: ${String(freshLost)} of ${String(fresh)} lost, the longest took ${String(longest)} ms; kept: ${String(keptLost)} of ${String(kept)} lost, ${String(keptAgain)} asked again  ${why}`,
      );
    }
    process.stderr.write(`${lines.join('\n')}\n`);
  } finally {
    await machine.stop();
  }
}, 600_000);
