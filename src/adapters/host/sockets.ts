import { readdirSync, readFileSync, readlinkSync } from 'node:fs';
import type { InsidePort, ListeningSocket } from '../../core/inventory/inventory.ts';
import { collide } from '../../core/networks/collide.ts';
import { isLoopback, parseAddress } from '../../core/networks/address.ts';

/**
 * Sockets of this machine that wait for visitors, with the processes that hold them as far as we may see those: without root
 * only one's own. Empty where there is no /proc (proc(5), /proc/net/tcp and /proc/PID/fd).
 *
 * @param own users of whom none is a stranger
 */
export function listeningSockets(own: ReadonlySet<number> | null = null): ListeningSocket[] {
  const found = (['tcp', 'tcp6', 'udp', 'udp6'] as const).flatMap((table) => readTable(table));
  let owners: ReturnType<typeof ownersOf> | null = null;
  // To see who holds them every process is looked at, and mostly nobody asks.
  const ownersNow = (inodes: readonly string[]): ListeningSocket['owners'] => {
    const all = (owners ??= ownersOf(new Set(found.map(({ inode }) => inode))));
    return inodes.flatMap((inode) => all.get(inode) ?? []);
  };
  return joined(found).map(({ inodes, uid, ...socket }) => ({
    ...socket,
    ...(own === null || own.has(uid) ? {} : { stranger: uid }),
    get owners() {
      return ownersNow(inodes);
    },
  }));
}

/** Users who made the sockets that hear what is sent to an address and TCP port of this machine, by number; null where that cannot be seen. */
export function listenersAt(address: string, port: number): number[] | null {
  const found = (['tcp', 'tcp6'] as const).flatMap((table) => readTable(table));
  return found.length === 0
    ? null
    : found.filter((row) => row.port === port && collide(row.address, address)).map(({ uid }) => uid);
}

/** Whether anybody waits at a TCP port of this machine; null where that cannot be seen. */
export function isListening(port: number): boolean | null {
  const found = (['tcp', 'tcp6'] as const).flatMap((table) => readTable(table));
  return found.length === 0 ? null : found.some((row) => row.port === port);
}

/**
 * TCP ports on which the programs of a container listen, by the network of its first process; null when that process is not of this machine, is not
 * that container's, may not be seen, or shares our own network.
 *
 * @param id of the container, which its control group names (cgroups(7))
 */
export function listeningIn(pid: number, id: string): InsidePort[] | null {
  const folder = `/proc/${String(pid)}`;
  try {
    if (!readFileSync(`${folder}/cgroup`, 'latin1').includes(id)) return null;
    if (readlinkSync(`${folder}/ns/net`) === readlinkSync('/proc/self/ns/net')) return null;
    const rows = (['tcp', 'tcp6'] as const).flatMap((table) => readTable(table, `${folder}/net`));
    // A program that speaks to nobody but itself, and the engine's own name server, are on loopback.
    return rows.map(({ port, address }) => ({ port, isLoopback: address !== null && isLoopback(address) }));
  } catch {
    return null;
  }
}

/** Several workers of one server may each hold a socket of the same address. */
function joined(rows: readonly Row[]): Array<Omit<Row, 'inode'> & { inodes: string[] }> {
  const byAddress = new Map<string, Omit<Row, 'inode'> & { inodes: string[] }>();
  for (const { inode, ...socket } of rows) {
    const key = `${socket.protocol}${String(socket.family)} ${socket.address ?? ''} ${String(socket.port)}`;
    const first = byAddress.get(key);
    if (first === undefined) byAddress.set(key, { ...socket, inodes: [inode] });
    else first.inodes.push(inode);
  }
  return [...byAddress.values()];
}

type Row = Omit<ListeningSocket, 'owners' | 'stranger'> & { inode: string; uid: number };

const listening = '0A';
const unconnected = '07';

function readTable(table: 'tcp' | 'tcp6' | 'udp' | 'udp6', folder = '/proc/net'): Row[] {
  let text: string;
  try {
    text = readFileSync(`${folder}/${table}`, 'utf8');
  } catch {
    return [];
  }
  const protocol = table.startsWith('tcp') ? 'tcp' : 'udp';
  const family = table.endsWith('6') ? 6 : 4;
  return text
    .split('\n')
    .slice(1)
    .flatMap((line): Row[] => {
      const [, local = '', remote = '', state, , , , uid = '', , inode = ''] = line.trim().split(/\s+/);
      const waits = protocol === 'tcp' ? state === listening : state === unconnected && /^0+:0000$/.test(remote);
      const [hex = '', port = ''] = local.split(':');
      if (!waits || port === '') return [];
      const address = /^0+$/.test(hex) ? null : fromWords(hex);
      return [{ protocol, family, address, port: parseInt(port, 16), inode, uid: Number(uid) }];
    });
}

/** An address as the kernel prints it: 32-bit words, each in the byte order of the machine, which is little-endian here. */
function fromWords(hex: string): string | null {
  const words = hex.match(/.{8}/g) ?? [];
  const bytes = words.flatMap((word) => (word.match(/../g) ?? []).reverse());
  if (bytes.length === 4) return parseAddress(bytes.map((byte) => String(parseInt(byte, 16))).join('.'));
  return parseAddress((bytes.join('').match(/.{4}/g) ?? []).join(':'));
}

/** Processes by the inode of the socket they hold. */
function ownersOf(inodes: ReadonlySet<string>): Map<string, ListeningSocket['owners']> {
  const owners = new Map<string, ListeningSocket['owners']>();
  for (const pid of namesIn('/proc').filter((name) => /^\d+$/.test(name))) {
    const held = new Set(namesIn(`/proc/${pid}/fd`).flatMap((fd) => socketOf(`/proc/${pid}/fd/${fd}`) ?? []));
    for (const inode of held) {
      if (!inodes.has(inode)) continue;
      owners.set(inode, [...(owners.get(inode) ?? []), { pid: Number(pid), name: processName(pid) }]);
    }
  }
  return owners;
}

/** Processes end and descriptors close while they are read; what is gone is not told. */
function namesIn(folder: string): string[] {
  try {
    return readdirSync(folder);
  } catch {
    return [];
  }
}

function socketOf(link: string): string | null {
  try {
    return /^socket:\[(\d+)\]$/.exec(readlinkSync(link))?.[1] ?? null;
  } catch {
    return null;
  }
}

function processName(pid: string): string {
  try {
    return readFileSync(`/proc/${pid}/comm`, 'utf8').trim();
  } catch {
    return 'a program that just ended';
  }
}
