import { proxyNames } from '../src/core/proxies/names.ts';
import { spawn, type ChildProcess } from 'node:child_process';
import { chmodSync, existsSync, mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { nginxProgram, type ProxyName } from './support/fronts.ts';
import { HeldFront, type MapText } from './support/held-against-verdict.ts';
import { freePorts } from './support/ports.ts';
import { ended, folderWith, launch } from './support/program.ts';
import { sendRaw } from '../src/adapters/rehearsal/raw.ts';

/** A stranger who writes the edge's header himself, behind real edges that add to it or replace it: no gate opens to what he wrote. */

const near = '127.0.0.9';
const name = 'gated.saltmarsh.example';
const custom = 'X-Client-Address';

/** @property line what the edge does with the header, in its own words @property makes the lines that reach the front */
const edges: Array<[program: 'haproxy' | 'nginx', header: string, does: 'adds' | 'replaces', line: string]> = [
  ['haproxy', 'X-Forwarded-For', 'adds', 'option forwardfor'],
  ['haproxy', 'X-Forwarded-For', 'replaces', 'http-request set-header X-Forwarded-For %[src]'],
  ['haproxy', custom, 'adds', `option forwardfor header ${custom}`],
  ['haproxy', custom, 'replaces', `http-request set-header ${custom} %[src]`],
  ['nginx', 'X-Forwarded-For', 'adds', 'proxy_set_header X-Forwarded-For $proxy_add_x_forwarded_for;'],
  ['nginx', 'X-Forwarded-For', 'replaces', 'proxy_set_header X-Forwarded-For $remote_addr;'],
  ['nginx', custom, 'adds', `proxy_set_header ${custom} $told;`],
  ['nginx', custom, 'replaces', `proxy_set_header ${custom} $remote_addr;`],
];

const mapText =
  (header: string, does: string): MapText =>
  ({ proxy, ports, echoes }) => `domains: [saltmarsh.example]
front:
  address: 127.0.0.1
  proxy: ${proxy}
  ports: {http: ${String(ports.http)}, https: ${String(ports.https)}}
  mark: 127.0.0.1:${String(ports.mark)}
  home-networks: [${near}/32]
  edge: {networks: 127.0.0.1/32, address-header: ${header}${does === 'replaces' && header === custom ? ', replaces-header: true' : ''}}
roads:
  gated: {to: ":${String(echoes[0]?.port)}"}
`;

async function startEdge(
  program: 'haproxy' | 'nginx',
  line: string,
  to: number,
): Promise<{ port: number; child: ChildProcess }> {
  const folder = folderWith();
  chmodSync(folder, 0o755);
  const [port = 0] = await freePorts(1);
  if (program === 'haproxy') {
    if (!existsSync('/usr/sbin/haproxy'))
      throw new Error('haproxy is missing; install it with: apt-get install haproxy');
    const file = join(folder, 'edge.cfg');
    writeFileSync(
      file,
      `defaults
  mode http
  timeout client 20s
  timeout server 20s
  timeout connect 5s
frontend edge
  bind 127.0.0.1:${String(port)}
  ${line}
  default_backend front
backend front
  server front 127.0.0.1:${String(to)} ssl verify none sni str(${name})
`,
    );
    return { port, child: spawn('/usr/sbin/haproxy', ['-db', '-f', file], { stdio: 'ignore' }) };
  }
  const temporary = ['client_body', 'proxy', 'fastcgi', 'uwsgi', 'scgi'].map(
    (one) => `${one}_temp_path ${folder}/${one};`,
  );
  mkdirSync(join(folder, 'logs'));
  const file = join(folder, 'nginx.conf');
  writeFileSync(
    file,
    `pid ${folder}/pid; error_log ${folder}/error.log; events {}
http { access_log off; map $http_x_client_address $told { default "$http_x_client_address, $remote_addr"; "" $remote_addr; } ${temporary.join(' ')}
  server { listen 127.0.0.1:${String(port)};
    location / { ${line} proxy_set_header Host $http_host; proxy_ssl_server_name on; proxy_ssl_name ${name}; proxy_pass https://127.0.0.1:${String(to)}; } } }\n`,
  );
  return {
    port,
    child: spawn(nginxProgram(), ['-c', file, '-e', `${folder}/error.log`, '-g', 'daemon off;'], { stdio: 'ignore' }),
  };
}

/** Once it answers: it takes a moment to listen. */
async function statusThrough(port: number, from: string, header: string): Promise<number | null> {
  const text = `GET / HTTP/1.1\r\nHost: ${name}\r\n${header}Connection: close\r\n\r\n`;
  for (let tries = 0; tries < 200; tries += 1) {
    const outcome = await sendRaw({ port, from, text });
    if (outcome.kind === 'answer') return outcome.status;
    await new Promise((resolve) => setTimeout(resolve, 25));
  }
  return null;
}

describe.each<ProxyName>(proxyNames)('%s', (proxy) => {
  test.each(edges)('behind a %s that sends %s and %s it', async (program, header, does, line) => {
    const isRefused = proxy === 'nginx' && header === custom && does === 'adds';
    if (isRefused) {
      const [http = 0, https = 0, mark = 0, dead = 0] = await freePorts(4);
      const text = mapText(
        header,
        does,
      )({ proxy, ports: { http, https, mark, dead }, echoes: [{ port: dead } as never] });
      const checked = await ended(launch(['check'], folderWith({ 'mile-marker.yaml': text })));
      expect([checked.code, checked.out]).toEqual([1, expect.stringContaining('edge-header-appended')]);
      return;
    }
    const front = await HeldFront.start(proxy, mapText(header, does));
    const edge = await startEdge(program, line, front.ports.https);
    try {
      expect(await statusThrough(edge.port, near, '')).toBe(200);
      // 127.0.0.3 is a stranger, whatever he says.
      expect(await statusThrough(edge.port, '127.0.0.3', '')).toBe(403);
      for (const forged of [
        `${header}: ${near}\r\n`,
        `${header}: ${near}, ${near}\r\n`,
        `${header}: ${near}\r\n${header}: ${near}\r\n`,
      ])
        expect([forged, await statusThrough(edge.port, '127.0.0.3', forged)]).toEqual([forged, 403]);
    } finally {
      // A master that is killed outright leaves its workers behind.
      edge.child.kill('SIGTERM');
      await front.stop();
    }
  });
});
