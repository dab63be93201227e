import { execFile } from 'node:child_process';
import { writeFileSync } from 'node:fs';
import http from 'node:http';
import { join } from 'node:path';
import { MadeEngine } from './support/made-engine.ts';
import { startFront } from './support/fronts.ts';
import { proxyOf, type HeldKind, heldKinds } from './support/held-against-verdict.ts';
import { freePorts, listening } from './support/ports.ts';
import { folderWith, mileMarker } from './support/program.ts';
import { practiceHead } from './support/site.ts';

/** A service that runs several times behind one road: all are used, and one that has gone costs nobody a request. */

const name = 'log.saltmarsh.example';

interface Asked {
  method: 'GET' | 'POST';
  https: number;
}

/** The body and status of so many requests, one after the other on one connection. */
function ask(count: number, { method, https }: Asked): Promise<string[]> {
  const url = `https://${name}:${String(https)}/`;
  const data = method === 'POST' ? ['--data', 'gull'] : [];
  const argv = ['-sk', '-w', ' %{http_code}\n', '--resolve', `${name}:${String(https)}:127.0.0.1`, ...data];
  return new Promise((resolve) =>
    execFile('curl', [...argv, ...Array.from({ length: count }, () => url)], (_, out) =>
      resolve(out.trim().split('\n')),
    ),
  );
}

test.each<HeldKind>(heldKinds)('%s', async (kind) => {
  const proxy = proxyOf(kind);
  const folder = folderWith();
  const engine = new MadeEngine(join(folder, 'engine.sock'));
  await engine.start();
  const ports = (await freePorts(3)).sort((a, b) => a - b);
  const servers = await Promise.all(
    ports.map((port, index) =>
      listening(
        http.createServer((request, response) => {
          request.resume();
          request.on('end', () => response.end(`log ${String(index)}`));
        }),
        port,
      ),
    ),
  );
  const labels = { 'com.docker.compose.project': 'marsh', 'com.docker.compose.service': 'log' };
  for (const [index, published] of ports.entries())
    engine.put({
      name: `log-${String(index)}`,
      address: `172.31.255.${String(index + 2)}`,
      port: 80,
      published,
      labels,
    });
  const { head, https } = await practiceHead(
    proxy,
    `engine: unix://${engine.socket}\nroads: {log: {to: "log:80", gate: everyone}}\n`,
  );

  writeFileSync(join(folder, 'mile-marker.yaml'), head);
  const front = await startFront(folder, proxy, kind !== proxy);
  try {
    const all = await ask(30, { method: 'GET', https });
    const check = (await mileMarker(['check'], folder)).out.replace(/\s+/g, ' ');
    expect(check.includes('`log` has 3 replicas, but httpd uses only the one at')).toBe(proxy === 'httpd');
    if (proxy === 'httpd') {
      expect(new Set(all)).toEqual(new Set(['log 0 200']));
      return;
    }
    expect(new Set(all)).toEqual(new Set(['log 0 200', 'log 1 200', 'log 2 200']));
    // It goes without a word to anybody.
    servers[1]?.closeAllConnections();
    servers[1]?.close();
    const left = [...(await ask(30, { method: 'GET', https })), ...(await ask(12, { method: 'POST', https }))];
    expect(new Set(left)).toEqual(new Set(['log 0 200', 'log 2 200']));
  } finally {
    await front.stop();
    await engine.stop();
    for (const server of servers) {
      server.closeAllConnections();
      server.close();
    }
  }
});
