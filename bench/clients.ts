import { once } from 'node:events';
import tls from 'node:tls';
import WebSocket from 'ws';

/**
 * Clients in a process of their own. Arguments: what, port, name, how many connections
 *
 * `frames`: each sends a frame and waits for it to come back, for two seconds; prints frames a second
 * `idle`: each asks once and stays; `live`: each opens a WebSocket and stays; prints `ready`, ends with its input
 */
const [what, port = '0', name = '', count = '1'] = process.argv.slice(2);
const numbers = Array.from({ length: Number(count) }, (_, index) => index);

/** So many from one address: more would meet the limit for a client. */
const from = (index: number): string => `127.0.0.${String(2 + Math.floor(index / 200))}`;

if (what === 'frames') process.stdout.write(`${String(Math.round((await frames()) / 2))}\n`);
else {
  // A few at a time: the handshakes are not what is measured.
  for (let at = 0; at < numbers.length; at += 20)
    await Promise.all(numbers.slice(at, at + 20).map((one) => (what === 'idle' ? askAndStay(one) : openLive(one))));
  process.stdout.write('ready\n');
  await once(process.stdin.resume(), 'end');
}
process.exit(0);

async function frames(): Promise<number> {
  const sockets = await Promise.all(numbers.map(openLive));
  let sent = 0;
  for (const socket of sockets) {
    socket.on('message', () => {
      sent += 1;
      socket.send('a frame of sixty-four bytes, as a page of a bird table sends it....');
    });
    socket.send('begin');
  }
  await new Promise((resolve) => setTimeout(resolve, 2000));
  return sent;
}

async function openLive(index: number): Promise<WebSocket> {
  const options = { rejectUnauthorized: false, servername: name, localAddress: from(index), headers: { host: name } };
  const socket = new WebSocket(`wss://127.0.0.1:${port}/live`, options as WebSocket.ClientOptions);
  await once(socket, 'open');
  return socket;
}

async function askAndStay(index: number): Promise<void> {
  const socket = tls.connect({
    host: '127.0.0.1',
    port: Number(port),
    servername: name,
    localAddress: from(index),
    rejectUnauthorized: false,
  } as tls.ConnectionOptions);
  socket.on('error', () => undefined);
  await once(socket, 'secureConnect');
  socket.write(`GET / HTTP/1.1\r\nHost: ${name}\r\n\r\n`);
  await once(socket, 'data');
}
