import http from 'node:http';
import { createHash } from 'node:crypto';
import type { Socket } from 'node:net';
import { listening, portOf } from './ports.ts';

/** What reached a service. */
export interface Seen {
  method: string;
  target: string;
  headers: Record<string, string>;
  body: string;
}

/** A service that answers what reached it, with the header lines that `X-Say` asks for (JSON pairs), and takes WebSockets, echoing bytes. */
export interface Echo {
  name: string;
  port: number;
  seen: Seen[];
  stop: () => void;
}

export async function startEcho(name: string): Promise<Echo> {
  const seen: Seen[] = [];
  const note = (request: http.IncomingMessage, body: string): Seen => {
    const headers = Object.create(null) as Record<string, string>;
    for (let at = 0; at < request.rawHeaders.length; at += 2) {
      const key = (request.rawHeaders[at] ?? '').toLowerCase();
      headers[key] = [headers[key], request.rawHeaders[at + 1]].filter((value) => value !== undefined).join(' + ');
    }
    const one = { method: request.method ?? '', target: request.url ?? '', headers, body };
    seen.push(one);
    return one;
  };
  const server = http.createServer((request, response) => {
    let body = '';
    request.setEncoding('utf8').on('data', (text: string) => (body += text));
    request.on('end', () => {
      note(request, body);
      const said = JSON.parse(String(request.headers['x-say'] ?? '[]')) as Array<[string, string]>;
      response.writeHead(200, [['content-type', 'text/plain'], ['x-echo', name], ...said].flat());
      response.end(`this is ${name}\n`);
    });
  });
  const sockets = new Set<Socket>();
  server.on('connection', (socket) => sockets.add(socket));
  server.on('upgrade', (request, socket) => {
    note(request, '');
    const key = request.headers['sec-websocket-key'] ?? '';
    const accept = createHash('sha1').update(`${key}258EAFA5-E914-47DA-95CA-C5AB0DC85B11`).digest('base64');
    socket.write(
      `HTTP/1.1 101 Switching Protocols\r\nUpgrade: websocket\r\nConnection: Upgrade\r\nSec-WebSocket-Accept: ${accept}\r\nX-Echo: ${name}\r\n\r\n`,
    );
    socket.pipe(socket);
    socket.on('error', () => socket.destroy());
  });
  await listening(server, 0);
  const stop = (): void => {
    server.close();
    for (const socket of sockets) socket.destroy();
  };
  return { name, port: portOf(server), seen, stop };
}
