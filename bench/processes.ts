import { spawn, type ChildProcess, type SpawnOptions } from 'node:child_process';
import { readFileSync } from 'node:fs';
import net from 'node:net';

/** Starts something and waits until it says so. @param until what it says when it is ready */
export async function startUntil(
  command: string,
  args: string[],
  { until, ...options }: SpawnOptions & { until: RegExp },
): Promise<ChildProcess> {
  const child = spawn(command, args, { ...options, stdio: 'pipe' });
  await new Promise<void>((resolve, reject) => {
    let said = '';
    for (const stream of [child.stdout, child.stderr])
      stream.on('data', (text: Buffer) => {
        said = (said + text.toString()).slice(-2000);
        if (until.test(said)) resolve();
      });
    child.once('exit', (code) => reject(new Error(`${args.join(' ')} ended with ${String(code)}: ${said}`)));
  });
  return child;
}

export async function ended(child: ChildProcess): Promise<void> {
  if (child.exitCode === null && child.signalCode === null)
    await new Promise((resolve) => child.once('close', resolve));
}

/** Resident memory in megabytes. */
export function resident({ pid }: ChildProcess): number {
  const kilobytes = /^VmRSS:\s+(\d+)/m.exec(readFileSync(`/proc/${String(pid)}/status`, 'utf8'))?.[1];
  return Number(kilobytes) / 1024;
}

export async function freePorts(names: readonly string[]): Promise<Record<string, number>> {
  const servers = await Promise.all(
    names.map(async () => {
      const server = net.createServer();
      await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
      return server;
    }),
  );
  const ports = servers.map((server) => (server.address() as net.AddressInfo).port);
  await Promise.all(servers.map((server) => new Promise((resolve) => server.close(resolve))));
  return Object.fromEntries(names.map((one, index) => [one, ports[index] ?? 0]));
}

export function median(values: readonly number[]): number {
  return [...values].sort((a, b) => a - b)[Math.floor(values.length / 2)] ?? NaN;
}

export const secondsSince = (begin: bigint): number => Number(process.hrtime.bigint() - begin) / 1e9;
