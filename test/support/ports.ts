import net from 'node:net';

/** Test files run beside each other, and the system hands out the ports above: each worker has a range that nobody else takes from. */
const rangeLength = 2000;
const rangeStart = 12_000 + (Number(process.env['JEST_WORKER_ID'] ?? 1) % 8) * rangeLength;
let next = Math.floor(Math.random() * rangeLength);

/** Ports of loopback that are free at this moment. */
export async function freePorts(count: number): Promise<number[]> {
  const ports: number[] = [];
  for (let tries = 0; ports.length < count && tries < rangeLength; tries += 1) {
    next = (next + 1) % rangeLength;
    const port = rangeStart + next;
    const server = await listening(net.createServer(), port).catch(() => null);
    if (server === null) continue;
    await new Promise((resolve) => server.close(resolve));
    ports.push(port);
  }
  return ports;
}

export async function listening<T extends net.Server>(server: T, port: number, host = '127.0.0.1'): Promise<T> {
  await new Promise<void>((resolve, reject) => {
    server.once('error', reject);
    server.listen(port, host, resolve);
  });
  return server;
}

export function portOf(server: net.Server): number {
  return (server.address() as net.AddressInfo).port;
}

/** Until something listens there, for at most a minute. */
export async function waitForPort(port: number): Promise<void> {
  for (let tries = 0; tries < 1200; tries += 1) {
    const socket = net.connect({ port, host: '127.0.0.1' });
    const isThere = await new Promise<boolean>((resolve) => {
      socket.once('connect', () => resolve(true));
      socket.once('error', () => resolve(false));
    });
    socket.destroy();
    if (isThere) return;
    await new Promise((resolve) => setTimeout(resolve, 50));
  }
  throw new Error(`nothing listens on port ${String(port)}`);
}
