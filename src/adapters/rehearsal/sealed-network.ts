import { access, writeFile } from 'node:fs/promises';
import { constants } from 'node:fs';
import dgram from 'node:dgram';
import { join } from 'node:path';
import packet from 'dns-packet';
import { runQuiet } from '../processes/run-quiet.ts';
import { unshareWords } from '../processes/unshare.ts';
import { Trouble } from '../trouble.ts';

/** Words before a command by which it gets a network, mounts and processes of its own (unshare(1)); whatever it leaves ends with it. */
export function sealedWords(): string[] {
  return unshareWords('--net', '--mount', '--pid', '--fork', '--kill-child');
}

/** Inside: has these addresses exist on the loopback device, each for itself (ip-address(8)). */
export async function haveAddresses(addresses: Iterable<string>): Promise<void> {
  await must('ip', ['link', 'set', 'lo', 'up']);
  for (const address of new Set(addresses)) {
    if (address.startsWith('127.') || address === '::1') continue;
    const v6 = address.includes(':');
    // Without it an IPv6 address cannot be used for a second after it was given (RFC 4862 §5.4).
    await must('ip', ['addr', 'add', `${address}/${v6 ? '128' : '32'}`, 'dev', 'lo', ...(v6 ? ['nodad'] : [])]);
  }
}

/** Inside: an empty folder in memory in place of this one. */
export async function emptyInstead(folder: string): Promise<void> {
  await must('mount', ['-t', 'tmpfs', '-o', 'mode=755', 'tmpfs', folder]);
}

/** Inside: what is at one path in place of what is at another. */
export async function bindInstead(source: string, path: string): Promise<void> {
  await must('mount', ['--bind', source, path]);
}

async function must(name: string, argv: readonly string[]): Promise<void> {
  const program = await findTool(name);
  const { code, err, cause } = await runQuiet(program, argv);
  if (code === 0) return;
  throw new Trouble({
    code: 'not-sealed',
    message: `${name} ${argv.join(' ')} failed: ${err.trim() || String(cause)}`,
    remedy: 'A rehearsal without it: mile-marker rehearse --on-loopback',
  });
}

/** Tools of the system are not on everyone's PATH. */
async function findTool(name: string): Promise<string> {
  for (const folder of ['/usr/sbin', '/sbin', '/usr/bin', '/bin']) {
    const path = join(folder, name);
    if (
      await access(path, constants.X_OK).then(
        () => true,
        () => false,
      )
    )
      return path;
  }
  return name;
}

/** Inside: names that lead to addresses, for programs that ask name servers at these addresses, and for those that ask the system. */
export async function haveNames(
  names: ReadonlyMap<string, string>,
  { resolvers, scratch }: { resolvers: readonly string[]; scratch: string },
): Promise<() => void> {
  const hosts = join(scratch, 'hosts');
  const lines = [...names].map(([name, address]) => `${address} ${name}\n`);
  await writeFile(hosts, `127.0.0.1 localhost\n::1 localhost\n${lines.join('')}`);
  await bindInstead(hosts, '/etc/hosts');
  const sockets = await Promise.all(resolvers.map((address) => answerNames(names, address)));
  return () => {
    for (const socket of sockets) socket.close();
  };
}

function answerNames(names: ReadonlyMap<string, string>, address: string): Promise<dgram.Socket> {
  const socket = dgram.createSocket(address.includes(':') ? 'udp6' : 'udp4');
  socket.on('message', (bytes, { port, address: to }) => {
    const query = packet.decode(bytes);
    const [question] = query.questions ?? [];
    const found = question === undefined ? undefined : names.get(question.name.toLowerCase());
    const reply = packet.encode({
      type: 'response',
      ...(query.id === undefined ? {} : { id: query.id }),
      flags: packet.AUTHORITATIVE_ANSWER | (found === undefined ? 3 : 0),
      questions: query.questions ?? [],
      answers:
        question?.type === 'A' && found !== undefined ? [{ type: 'A', name: question.name, ttl: 60, data: found }] : [],
    });
    socket.send(reply, port, to);
  });
  return new Promise((resolve, reject) => {
    socket.once('error', reject);
    socket.bind(53, address, () => resolve(socket));
  });
}
