import { spawnSync } from 'node:child_process';
import { existsSync } from 'node:fs';

/** Network namespaces of our own, so that every request stays among them. They need root. */
export function makeNamespaces(names: readonly string[]): void {
  for (const program of ['/usr/sbin/ip', '/usr/sbin/nft']) {
    if (!existsSync(program)) throw new Error(`${program} is missing; install: apt-get install -y iproute2 nftables`);
  }
  for (const name of names) {
    // A run that was killed may have left it.
    spawnSync('/usr/sbin/ip', ['netns', 'del', name]);
    ip('netns', 'add', name);
    within(name, 'ip', 'link', 'set', 'lo', 'up');
  }
}

export function removeNamespaces(names: readonly string[]): void {
  for (const name of names) spawnSync('/usr/sbin/ip', ['netns', 'del', name]);
}

function ip(...argv: string[]): void {
  const { status, stderr } = spawnSync('/usr/sbin/ip', argv, { encoding: 'utf8' });
  if (status !== 0) throw new Error(`ip ${argv.join(' ')}: ${stderr}`);
}

/** A cable between this machine itself and a namespace. @property here this machine's address @property there the other end's, both without a prefix */
export function wireHere(name: string, { device, here, there }: { device: string; here: string; there: string }): void {
  ip('link', 'add', device, 'type', 'veth', 'peer', 'name', 'eth0', 'netns', name);
  ip('addr', 'add', `${here}/30`, 'dev', device);
  ip('link', 'set', device, 'up');
  within(name, 'ip', 'addr', 'add', `${there}/30`, 'dev', 'eth0');
  within(name, 'ip', 'link', 'set', 'eth0', 'up');
}

/**
 * A switch with a cable to this machine and to each namespace. It is in a namespace too: here the rules that a container engine made would stop what passes
 * between its ports.
 *
 * @param device name of it, of its namespace, and of this machine's own end @property there addresses by namespace, without a prefix
 */
export function switchHere(
  device: string,
  { here, there }: { here: string; there: Readonly<Record<string, string>> },
): void {
  removeSwitch(device);
  makeNamespaces([device]);
  within(device, 'ip', 'link', 'add', 'lan', 'type', 'bridge');
  within(device, 'ip', 'link', 'set', 'lan', 'up');
  const plug = (end: string, peer: readonly string[]): void => {
    ip('link', 'add', end, 'netns', device, 'type', 'veth', 'peer', 'name', ...peer);
    within(device, 'ip', 'link', 'set', end, 'master', 'lan', 'up');
  };
  plug('here', [device]);
  ip('addr', 'add', `${here}/24`, 'dev', device);
  ip('link', 'set', device, 'up');
  for (const [index, [name, address]] of Object.entries(there).entries()) {
    plug(`port${String(index)}`, ['eth0', 'netns', name]);
    within(name, 'ip', 'addr', 'add', `${address}/24`, 'dev', 'eth0');
    within(name, 'ip', 'link', 'set', 'eth0', 'up');
  }
}

export function removeSwitch(device: string): void {
  removeNamespaces([device]);
}

/** Pulls the cable of a namespace, or plugs it in again. */
export function setCable(name: string, to: 'up' | 'down'): void {
  within(name, 'ip', 'link', 'set', 'eth0', to);
}

export function within(
  name: string,
  program: string,
  ...argv: string[]
): { status: number | null; stdout: string; stderr: string } {
  return spawnSync('/usr/sbin/ip', ['netns', 'exec', name, program, ...argv], { encoding: 'utf8' });
}

/** @property here addresses with prefix at the machine's end @property there at the other @property port the machine's device */
export interface Cable {
  machine: string;
  to: string;
  here: readonly string[];
  there: readonly string[];
  port: string;
}

/** A cable between the machine and another. */
export function wire({ machine, to, here, there, port }: Cable): void {
  ip('link', 'add', port, 'netns', machine, 'type', 'veth', 'peer', 'name', 'eth0', 'netns', to);
  for (const [name, device, addresses] of [
    [machine, port, here],
    [to, 'eth0', there],
  ] as const) {
    // Without it an IPv6 address cannot be used for a second after it was given (RFC 4862 §5.4).
    for (const address of addresses)
      within(name, 'ip', 'addr', 'add', address, 'dev', device, ...(address.includes(':') ? ['nodad'] : []));
    within(name, 'ip', 'link', 'set', device, 'up');
  }
}

const probe = `const [host, port] = process.argv.slice(1);
const s = require('net').connect({ host, port, timeout: 700 }, () => process.exit(0));
s.on('timeout', () => process.exit(1)); s.on('error', () => process.exit(1));`;

export function reaches(from: string, host: string, port: number): boolean {
  return within(from, process.execPath, '-e', probe, host, String(port)).status === 0;
}

export async function until(holds: () => boolean): Promise<void> {
  for (let tries = 0; !holds(); tries += 1) {
    if (tries > 300) throw new Error('the network did not come up');
    await new Promise((resolve) => setTimeout(resolve, 100));
  }
}
