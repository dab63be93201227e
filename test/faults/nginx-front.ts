import { spawn } from 'node:child_process';
import { mkdirSync, writeFileSync } from 'node:fs';
import net from 'node:net';
import { join } from 'node:path';
import { nginxProgram } from '../support/fronts.ts';
import type { TestAuthority } from './certificates.ts';
import type { Ground } from './does.ts';
import type { Closing } from './node-front.ts';
import type { NginxFront } from './row.ts';

export interface NginxFrontInput {
  front: NginxFront;
  folder: string;
  ground: Ground;
  names: { nestcam: string; tides: string };
  authority: TestAuthority;
}

/** Starts the real server on a sound configuration written by hand, with the pieces of a row in their place. Its errors go to `errors.log`. */
export async function startNginxFront({ front, folder, ground, names, authority }: NginxFrontInput): Promise<Closing> {
  const own = join(folder, 'nginx');
  mkdirSync(own);
  const spec = front.certificate === 'of-tides' ? { names: [names.tides] } : (front.certificate ?? {});
  for (const [name, pair] of [
    ['nestcam', await authority.leaf(names.nestcam, spec)],
    ['tides', await authority.leaf(names.tides)],
  ] as const) {
    writeFileSync(join(own, `${name}.pem`), pair.certificate);
    writeFileSync(join(own, `${name}.key`), pair.key, { mode: 0o600 });
  }
  const words: Record<string, string> = {
    own,
    name: names.nestcam,
    tidesName: names.tides,
    http: String(ground.http),
    https: String(ground.https),
    service: String(ground.service),
    tides: String(ground.tides),
  };
  const text = configuration(front).replace(/\{(\w+)\}/g, (whole, key: string) => words[key] ?? whole);
  writeFileSync(join(own, 'nginx.conf'), text);
  const argv = ['-c', join(own, 'nginx.conf'), '-e', join(own, 'errors.log'), '-g', 'daemon off;'];
  const child = spawn(nginxProgram(), argv, { stdio: ['ignore', 'ignore', 'pipe'] });
  let words2 = '';
  child.stderr.setEncoding('utf8').on('data', (chunk: string) => (words2 += chunk));
  for (let tries = 0; !(await listens(ground.https)); tries += 1) {
    if (tries > 1000 || child.exitCode !== null) throw new Error(`nginx did not start: ${words2}`);
    await new Promise((resolve) => setTimeout(resolve, 30));
  }
  return () => void child.kill('SIGTERM');
}

function listens(port: number): Promise<boolean> {
  return new Promise((resolve) => {
    const socket = net.connect(port, '127.0.0.1', () => {
      socket.destroy();
      resolve(true);
    });
    socket.once('error', () => resolve(false));
  });
}

const passes = `proxy_http_version 1.1;
    proxy_set_header Host $http_host;
    proxy_set_header X-Forwarded-For $remote_addr;
    proxy_set_header X-Forwarded-Proto https;
    proxy_set_header Upgrade $http_upgrade;
    proxy_set_header Connection $marsh_connection;`;

function configuration({
  protocols,
  default443,
  default80,
  plain,
  nestcam,
  listen,
  extra,
  uploads,
}: NginxFront): string {
  return `pid {own}/pid;
worker_processes 1;
events {}
http {
  access_log off;
  error_log {own}/errors.log info;
  client_body_temp_path {own}/body; proxy_temp_path {own}/proxy;
  fastcgi_temp_path {own}/f; uwsgi_temp_path {own}/u; scgi_temp_path {own}/s;
  server_tokens off;
  ${uploads ?? 'client_max_body_size 0;'}
  map $http_upgrade $marsh_connection { default upgrade; '' ''; }
  ssl_protocols ${protocols ?? 'TLSv1.2 TLSv1.3'};
  ${extra ?? ''}
  ${default443 ?? 'server { listen 127.0.0.1:{https} ssl http2 default_server; ssl_reject_handshake on; }'}
  ${default80 ?? 'server { listen 127.0.0.1:{http} default_server; return 444; }'}
  server { listen 127.0.0.1:{http}; server_name {name} {tidesName};
    ${plain ?? 'return 301 https://$host:{https}$request_uri;'}
  }
  server { listen 127.0.0.1:${listen ?? '{https} ssl http2'}; server_name {name};
    ssl_certificate {own}/nestcam.pem; ssl_certificate_key {own}/nestcam.key;
    ${nestcam ?? `location / { proxy_pass http://127.0.0.1:{service}; ${passes} }`}
  }
  server { listen 127.0.0.1:${listen ?? '{https} ssl http2'}; server_name {tidesName};
    ssl_certificate {own}/tides.pem; ssl_certificate_key {own}/tides.key;
    location / { proxy_pass http://127.0.0.1:{tides}; ${passes} }
  }
}
`;
}
