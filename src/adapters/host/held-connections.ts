import { existsSync } from 'node:fs';
import { runQuiet } from '../processes/run-quiet.ts';

/** A table of our own, beside the one of `install firewall`. It holds nothing but what is said here, and lets go by itself. */
const table = 'inet mile_marker_hold';

/** The kernel lets connections through after this time, even if this program was killed. */
const mostSeconds = 20;

const program = ['/usr/sbin/nft', '/sbin/nft', '/usr/bin/nft'].find((path) => existsSync(path)) ?? null;

/**
 * Has new connections to ports of this machine wait while one front gives them to another: their first packet is passed over, and whoever sent it sends it
 * again within a second (RFC 6298 §2.1), instead of being refused. Connections that stand go on. Only for root, where nft(8) is there; else nothing waits.
 *
 * @returns what lets them through again
 */
export async function holdConnections(ports: readonly number[]): Promise<() => Promise<void>> {
  if (program === null || process.getuid?.() !== 0) return () => Promise.resolve();
  const release = async (): Promise<void> => void (await runQuiet(program, ['delete', 'table', ...table.split(' ')]));
  // What a killed one left holds nothing any more, and is in the way.
  await release();
  const { code } = await runQuiet(program, [
    [
      `add table ${table}`,
      `add set ${table} held { type inet_service; flags timeout; timeout ${String(mostSeconds)}s; }`,
      `add element ${table} held { ${ports.map(String).join(', ')} }`,
      `add chain ${table} new { type filter hook input priority -10; }`,
      `add rule ${table} new tcp dport @held tcp flags & (syn | ack) == syn drop`,
    ].join('; '),
  ]);
  return code === 0 ? release : () => Promise.resolve();
}
