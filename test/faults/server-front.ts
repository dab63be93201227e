import { spawn } from 'node:child_process';
import { existsSync, mkdirSync, writeFileSync } from 'node:fs';
import net from 'node:net';
import { join } from 'node:path';
import type { Pair, TestAuthority } from './certificates.ts';
import type { TestBed } from './does.ts';
import type { Closing } from './node-front.ts';
import type { CertificateSpec } from './row.ts';

/** What a front of one installation stands on. */
export interface FrontBed {
  folder: string;
  bed: TestBed;
  names: { nestcam: string; tides: string };
  authority: TestAuthority;
}

export interface ServerInput extends FrontBed {
  /** What the road's certificate is like. */
  certificate: CertificateSpec;
  /** Words such as `{service}` in it are filled in. */
  configuration: string;
  program: string;
  /** From the path of the configuration and the folder of the server. */
  argv: (file: string, own: string) => string[];
}

/** Starts a real server on a configuration that somebody wrote by hand, with certificates of the road and its neighbour. */
export async function startServer(input: ServerInput): Promise<Closing> {
  const { folder, bed, names, authority, certificate, configuration, program, argv } = input;
  const own = join(folder, 'front');
  mkdirSync(own);
  keep(own, 'nestcam', await authority.leaf(names.nestcam, certificate));
  keep(own, 'tides', await authority.leaf(names.tides));
  const { http, https, service, tides } = bed;
  const ports = Object.entries({ http, https, service, tides }).map(([name, port]) => [name, String(port)] as const);
  const words = new Map([...ports, ['own', own], ['name', names.nestcam], ['tidesName', names.tides]]);
  const file = join(own, 'front.conf');
  writeFileSync(
    file,
    configuration.replace(/\{(\w+)\}/g, (whole, key: string) => words.get(key) ?? whole),
  );
  const child = spawn(program, argv(file, own), { stdio: ['ignore', 'pipe', 'pipe'] });
  let said = '';
  for (const stream of [child.stdout, child.stderr])
    stream.setEncoding('utf8').on('data', (chunk: string) => (said += chunk));
  for (let tries = 0; !(await listens(https)); tries += 1) {
    if (tries > 1000 || child.exitCode !== null) throw new Error(`${program} did not start: ${said}`);
    await new Promise((resolve) => setTimeout(resolve, 30));
  }
  return () => void child.kill('SIGTERM');
}

/** Some servers want key and chain in two files, some in one. */
function keep(own: string, name: string, { certificate, key }: Pair): void {
  writeFileSync(join(own, `${name}.pem`), certificate);
  writeFileSync(join(own, `${name}.key`), key, { mode: 0o600 });
  writeFileSync(join(own, `${name}.both`), `${certificate}\n${key}`, { mode: 0o600 });
}

/** @throws Error with the line that installs it */
export function serverProgram(name: string, debian: string): string {
  const found = ['/usr/sbin', '/usr/local/sbin', '/usr/bin'].map((folder) => join(folder, name)).find(existsSync);
  if (found === undefined) throw new Error(`${name} is missing; install it with: apt-get install ${debian}`);
  return found;
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
