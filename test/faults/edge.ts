import http from 'node:http';
import https from 'node:https';
import type { Duplex } from 'node:stream';
import { listening } from '../support/ports.ts';
import type { TestAuthority } from './certificates.ts';
import { handlerOf, type TestBed } from './does.ts';
import { closing, tlsServer, type Closing } from './node-front.ts';
import type { Edge } from './row.ts';

/** Where the edge has its address. */
export const edgeAddress = '127.0.0.9';

/** An edge network: it ends TLS with a certificate of its own, names the visitor in a header, and asks the front from its own address. */
export async function startEdge(edge: Edge, bed: TestBed, authority: TestAuthority): Promise<Closing[]> {
  const names = [bed.name, bed.name.replace(/^[^.]+/, 'tides')];
  let count = 0;
  const isBusy = (host: string): boolean =>
    edge.fails !== undefined && host === bed.name && (count += 1) % edge.fails === 0;
  const relay: http.RequestListener = (request, response) => {
    if (isBusy(hostOf(request))) {
      response.writeHead(503).end('the edge has too much to do');
      return;
    }
    const asked = passedOn(edge, bed, request);
    asked.on('response', (answer) => {
      response.writeHead(answer.statusCode ?? 500, withheld(edge, answer.rawHeaders));
      answer.pipe(response);
    });
    // A name that the front does not know gets no answer from it, and so none from the edge.
    asked.on('error', () => (response.headersSent ? response.destroy() : response.writeHead(502).end()));
    request.pipe(asked);
  };
  const secure = tlsServer(await authority.leaf(bed.name, { names }), relay);
  if (edge.passesUpgrade !== false) secure.on('upgrade', (request, socket) => passUpgrade(edge, bed, request, socket));
  const plain = http.createServer(
    handlerOf({ answers: 308, headers: { location: 'https://{name}:{https}{target}' } }, bed),
  );
  await listening(secure, bed.https, edgeAddress);
  await listening(plain, bed.http, edgeAddress);
  return [closing(secure), closing(plain)];
}

function passedOn(
  { speaks, drops = [], names = '203.0.113.5', host, path }: Edge,
  bed: TestBed,
  request: http.IncomingMessage,
): http.ClientRequest {
  const asked = hostOf(request);
  const kept = Object.entries(request.headers).filter(([name]) => !drops.includes(name));
  const headers: http.OutgoingHttpHeaders = Object.fromEntries(kept);
  if (host !== undefined && asked === bed.name) headers.host = host;
  if (names !== null) headers['x-client-address'] = names;
  const target = path === undefined ? request.url : request.url?.replace(new RegExp(path[0]), path[1]);
  const to = {
    host: '127.0.0.1',
    localAddress: edgeAddress,
    method: request.method,
    path: target,
    headers,
    agent: false,
  };
  return speaks === 'http'
    ? http.request({ ...to, port: bed.http })
    : https.request({ ...to, port: bed.https, servername: asked, rejectUnauthorized: false });
}

function passUpgrade(edge: Edge, bed: TestBed, request: http.IncomingMessage, socket: Duplex): void {
  const asked = passedOn(edge, bed, request);
  socket.on('error', () => asked.destroy());
  asked.on('error', () => socket.destroy());
  asked.on('response', () => socket.end('HTTP/1.1 502 Bad Gateway\r\ncontent-length: 0\r\n\r\n'));
  asked.on('upgrade', ({ rawHeaders }, other: Duplex) => {
    const lines = rawHeaders.flatMap((text, index) =>
      index % 2 === 0 ? [`${text}: ${rawHeaders[index + 1] ?? ''}`] : [],
    );
    socket.write(`HTTP/1.1 101 Switching Protocols\r\n${lines.join('\r\n')}\r\n\r\n`);
    other.on('error', () => socket.destroy());
    other.pipe(socket).pipe(other);
  });
  asked.end();
}

function hostOf({ headers }: http.IncomingMessage): string {
  return (headers.host ?? '').split(':')[0] ?? '';
}

function withheld({ withholds = [] }: Edge, raw: readonly string[]): string[] {
  return raw.filter((_, index) => !withholds.includes((raw[index - (index % 2)] ?? '').toLowerCase()));
}
