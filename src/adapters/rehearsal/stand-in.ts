import http from 'node:http';
import https from 'node:https';
import { createHash } from 'node:crypto';
import type { AddressInfo, Socket } from 'node:net';
import type { ServiceWord } from '../../core/gates/kind.ts';
import { wordHeader, type Seen } from '../../core/rehearsal/sent.ts';

/** A service that answers what reached it, with the header lines that `X-Say` asks for (JSON pairs), and takes WebSockets, echoing bytes. */
export interface StandIn {
  name: string;
  port: number;
  seen: Seen[];
  /** What a gate has asked it. */
  questions: Seen[];
  stop: () => void;
}

/** @property port 0, the default: a free one @property tls with HTTPS, by this pair in PEM @property onSeen called with all that reaches it */
interface StandInOptions {
  address?: string;
  port?: number;
  tls?: { cert: string; key: string };
  onSeen?: (seen: Seen) => void;
}

export async function startStandIn(
  name: string,
  { address = '127.0.0.1', port = 0, tls, onSeen }: StandInOptions = {},
): Promise<StandIn> {
  const seen: Seen[] = [];
  const questions: Seen[] = [];
  const note = (request: http.IncomingMessage, body: string): void => {
    const one = { method: request.method ?? '', target: request.url ?? '', headers: headersOf(request), body };
    if (onSeen === undefined) seen.push(one);
    else onSeen(one);
  };
  // A request may take as long as it likes.
  const patient = { requestTimeout: 0 };
  const server = tls === undefined ? http.createServer(patient) : https.createServer({ ...tls, ...patient });
  server.on('request', (request: http.IncomingMessage, response: http.ServerResponse) => {
    if (isQuestion(request)) {
      questions.push({
        method: request.method ?? '',
        target: request.url ?? '',
        headers: headersOf(request),
        body: '',
      });
      sayWord(request, response);
      return;
    }
    let body = '';
    request.setEncoding('utf8').on('data', (text: string) => (body += text));
    request.on('end', () => {
      note(request, body);
      response.writeHead(200, [['content-type', 'text/plain'], ['x-echo', name], ...asked(request)].flat());
      response.end(`this is ${name}\n`);
    });
  });
  const sockets = new Set<Socket>();
  server.on('connection', (socket: Socket) => {
    sockets.add(socket);
    socket.on('close', () => sockets.delete(socket));
  });
  server.on('upgrade', (request: http.IncomingMessage, socket: Socket) => {
    note(request, '');
    const key = request.headers['sec-websocket-key'] ?? '';
    const accept = createHash('sha1').update(`${key}258EAFA5-E914-47DA-95CA-C5AB0DC85B11`).digest('base64');
    socket.write(
      `HTTP/1.1 101 Switching Protocols\r\nUpgrade: websocket\r\nConnection: Upgrade\r\nSec-WebSocket-Accept: ${accept}\r\nX-Echo: ${name}\r\n\r\n`,
    );
    socket.pipe(socket);
    socket.on('error', () => socket.destroy());
  });
  await new Promise<void>((resolve, reject) => {
    server.once('error', reject);
    server.listen(port, address, resolve);
  });
  const stop = (): void => {
    server.close();
    for (const socket of sockets) socket.destroy();
  };
  return { name, port: (server.address() as AddressInfo).port, seen, questions, stop };
}

/** No visitor's own header of this name reaches a service. */
function isQuestion({ headers }: http.IncomingMessage): boolean {
  return headers['x-original-url'] !== undefined;
}

/** What the request itself wants to be said of it, with a page and two cookies as a sign-in service has them; without such words it is let in. */
function sayWord({ headers }: http.IncomingMessage, response: http.ServerResponse): void {
  const { status, location, told } = JSON.parse(
    String(headers[wordHeader] ?? '{"status":204,"told":{}}'),
  ) as ServiceWord;
  if (status === 0) {
    response.destroy();
    return;
  }
  const lines = [...(location === undefined ? [] : [['location', location]]), ...Object.entries(told)];
  response.writeHead(
    status,
    [
      ...lines,
      ['set-cookie', 'a=1'],
      ['set-cookie', 'b=2'],
      ['content-type', 'text/html'],
      ['x-powered-by', 'tide'],
    ].flat(),
  );
  response.end(status === 204 ? '' : 'please sign in\n');
}

function headersOf({ rawHeaders }: http.IncomingMessage): Record<string, string> {
  const headers = Object.create(null) as Record<string, string>;
  for (let at = 0; at < rawHeaders.length; at += 2) {
    const key = (rawHeaders[at] ?? '').toLowerCase();
    headers[key] = [headers[key], rawHeaders[at + 1]].filter((value) => value !== undefined).join(' + ');
  }
  return headers;
}

/** Whatever else stands there is no request of ours. */
function asked(request: http.IncomingMessage): Array<[string, string]> {
  try {
    return JSON.parse(String(request.headers['x-say'] ?? '[]')) as Array<[string, string]>;
  } catch {
    return [];
  }
}
