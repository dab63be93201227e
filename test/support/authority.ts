import { spawn, spawnSync, type ChildProcess } from 'node:child_process';
import { existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import net from 'node:net';
import { join } from 'node:path';
import { makeCertificates } from './engine.ts';

/** An ACME authority and name servers of our own, from Debian, each on addresses of loopback. */
export interface Authority {
  directory: string;
  /** PEM file of the root that its own API is signed with. */
  root: string;
  stop: () => Promise<void>;
}

function needed(program: string, from: string): string {
  if (!existsSync(program))
    throw new Error(`${program} is missing; install it with: apt-get install -y --no-install-recommends ${from}`);
  return program;
}

export interface AuthorityInput {
  folder: string;
  ports: readonly [api: number, management: number, http: number];
  nameServer: string;
  /** Share of nonces that it calls bad, in percent. */
  badNonces?: number;
  /** With these an account must be bound to one of the authority's own: id and key in base64url. */
  external?: Record<string, string>;
}

export async function startAuthority({
  folder,
  ports: [api, management, httpPort],
  nameServer,
  badNonces = 0,
  external,
}: AuthorityInput): Promise<Authority> {
  const program = needed('/usr/bin/pebble', 'pebble');
  const tls = join(folder, 'authority-tls');
  makeCertificates(tls);
  const config = {
    pebble: {
      listenAddress: `127.0.0.1:${String(api)}`,
      managementListenAddress: `127.0.0.1:${String(management)}`,
      certificate: join(tls, 'server.pem'),
      privateKey: join(tls, 'server-key.pem'),
      httpPort,
      tlsPort: 1,
      ocspResponderURL: '',
      externalAccountBindingRequired: external !== undefined,
      externalAccountMACKeys: external ?? {},
    },
  };
  writeFileSync(join(folder, 'pebble.json'), JSON.stringify(config));
  const env = { PEBBLE_VA_NOSLEEP: '1', PEBBLE_WFE_NONCEREJECT: String(badNonces), PEBBLE_AUTHZREUSE: '0' };
  const child = spawn(program, ['-config', join(folder, 'pebble.json'), '-dnsserver', nameServer], {
    env,
    stdio: 'ignore',
  });
  await listens('127.0.0.1', api, child);
  return { directory: `https://127.0.0.1:${String(api)}/dir`, root: join(tls, 'ca.pem'), stop: () => ended(child) };
}

export interface NameServerInput {
  folder: string;
  address: string;
  /** Zone files by zone. */
  zones: Record<string, string>;
  key: { name: string; secret: string };
  /** Zones that take no updates, not even with the key. */
  closed?: readonly string[];
}

/** Knot, authoritative for some zones, which takes signed updates. Port 53 needs root; test files run beside each other, so each has addresses of its own. */
export async function startNameServer({
  folder,
  address,
  zones,
  key,
  closed = [],
}: NameServerInput): Promise<{ stop: () => Promise<void> }> {
  const program = needed('/usr/sbin/knotd', 'knot');
  if (process.getuid?.() !== 0) throw new Error('a name server on port 53 needs root; run: sudo npm test');
  const own = join(folder, `knot-${address}`);
  mkdirSync(own);
  for (const [zone, text] of Object.entries(zones)) writeFileSync(join(own, `${zone}.zone`), text);
  const list = Object.keys(zones).map(
    (zone) =>
      `  - domain: ${zone}\n    file: ${zone}.zone\n    storage: ${own}\n${closed.includes(zone) ? '' : '    acl: update\n'}    zonefile-sync: -1\n    journal-content: none\n`,
  );
  writeFileSync(
    join(own, 'knot.conf'),
    `server:\n    rundir: ${own}\n    listen: ${address}@53\n    user: root\ndatabase:\n    storage: ${own}\nkey:\n  - id: ${key.name}\n    algorithm: hmac-sha256\n    secret: ${key.secret}\nacl:\n  - id: update\n    key: ${key.name}\n    action: update\nzone:\n${list.join('')}log:\n  - target: stderr\n    any: error\n`,
  );
  const child = spawn(program, ['-c', join(own, 'knot.conf')], { stdio: 'ignore' });
  await listens(address, 53, child);
  return { stop: () => ended(child) };
}

async function listens(host: string, port: number, child: ChildProcess): Promise<void> {
  for (let tries = 0; tries < 600; tries += 1) {
    const there = await new Promise<boolean>((resolve) => {
      const socket = net.connect({ host, port });
      socket.once('connect', () => resolve(true)).once('error', () => resolve(false));
      socket.once('connect', () => socket.destroy());
    });
    if (there) return;
    if (child.exitCode !== null) break;
    await new Promise((resolve) => setTimeout(resolve, 100));
  }
  throw new Error(`nothing listens on ${host}:${String(port)}`);
}

function ended(child: ChildProcess): Promise<void> {
  if (child.exitCode !== null) return Promise.resolve();
  const closed = new Promise<void>((resolve) => child.once('close', () => resolve()));
  child.kill('SIGTERM');
  return closed;
}

/** Records as `kdig` of the same package shows them. */
export function dig(server: string, name: string, type: string): string[] {
  const { stdout } = spawnSync('kdig', [`@${server}`, '+short', '+timeout=2', '+retry=0', name, type], {
    encoding: 'utf8',
  });
  return stdout.split('\n').filter((line) => line !== '');
}

export function pem(file: string): string {
  return readFileSync(file, 'utf8');
}
