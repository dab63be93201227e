import net from 'node:net';

/** Ports of loopback that are free at this moment. */
export async function freePorts(count: number): Promise<number[]> {
  const servers = await Promise.all(Array.from({ length: count }, () => listening(net.createServer(), 0)));
  const ports = servers.map((server) => (server.address() as net.AddressInfo).port);
  await Promise.all(servers.map((server) => new Promise((resolve) => server.close(resolve))));
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
