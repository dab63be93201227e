import http from 'node:http';
import https from 'node:https';
import { listening } from '../support/ports.ts';
import type { TestAuthority } from './certificates.ts';
import { handlerOf, type TestBed } from './does.ts';
import { closing, tlsServer, type Closing } from './node-front.ts';

/** Where the edge has its address. */
export const edgeAddress = '127.0.0.9';

/** An edge network: it ends TLS with a certificate of its own, names the visitor in a header, and asks the front from its own address. */
export async function startEdge(speaks: 'http' | 'https', bed: TestBed, authority: TestAuthority): Promise<Closing[]> {
  const names = [bed.name, bed.name.replace(/^[^.]+/, 'tides')];
  const relay: http.RequestListener = (request, response) => {
    const host = (request.headers.host ?? '').split(':')[0] ?? '';
    const headers = { ...request.headers, 'x-client-address': '203.0.113.5' };
    const to = { host: '127.0.0.1', localAddress: edgeAddress, path: request.url, headers, agent: false };
    const answered = (answer: http.IncomingMessage): void => {
      response.writeHead(answer.statusCode ?? 500, answer.rawHeaders);
      answer.pipe(response);
    };
    const tls = { servername: host, rejectUnauthorized: false };
    const asked =
      speaks === 'http'
        ? http.get({ ...to, port: bed.http }, answered)
        : https.get({ ...to, ...tls, port: bed.https }, answered);
    // A name that the front does not know gets no answer from it, and so none from the edge.
    asked.on('error', () => response.writeHead(502).end());
  };
  const secure = tlsServer(await authority.leaf(bed.name, { names }), relay);
  const plain = http.createServer(
    handlerOf({ answers: 308, headers: { location: 'https://{name}:{https}{target}' } }, bed),
  );
  await listening(secure, bed.https, edgeAddress);
  await listening(plain, bed.http, edgeAddress);
  return [closing(secure), closing(plain)];
}
