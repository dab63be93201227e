import http, { type RequestListener } from 'node:http';
import https from 'node:https';
import { createSecureContext, type SecureContext } from 'node:tls';
import { makeAuthority, makeLeaf, type Pair } from '../../src/adapters/certificates/make.ts';
import { listening, portOf } from './ports.ts';

/** What one name does at a front that somebody else configured. */
export interface Behaviour {
  /** When its certificate was made. Default: now. */
  certificate?: { madeAt: string };
  http?: RequestListener;
  https?: RequestListener;
}

export interface FaultyFront {
  httpPort: number;
  httpsPort: number;
  authority: Pair;
  stop: () => void;
}

/** Starts a front in which every name has its own fault; names are short, below saltmarsh.example. */
export async function startFaultyFront(behaviours: Record<string, Behaviour>): Promise<FaultyFront> {
  const authority = await makeAuthority({ name: 'marsh test authority', now: new Date() });
  const contexts = new Map<string, SecureContext>();
  for (const [name, { certificate }] of Object.entries(behaviours)) {
    const full = `${name}.saltmarsh.example`;
    const now = new Date(certificate?.madeAt ?? Date.now());
    const leaf = await makeLeaf({ names: [full], authority, now });
    contexts.set(full, createSecureContext({ cert: leaf.certificate, key: leaf.key, ciphers: 'ECDHE+AESGCM' }));
  }
  const of = (request: http.IncomingMessage): Behaviour =>
    behaviours[(request.headers.host ?? '').toLowerCase().split('.')[0] ?? ''] ?? {};
  const plain = http.createServer((request, response) =>
    (of(request).http ?? toHttps(portOf(secure)))(request, response),
  );
  const secure = https.createServer(
    { ciphers: 'ECDHE+AESGCM', SNICallback: (name, done) => done(null, contexts.get(name)) },
    (request, response) => (of(request).https ?? notFound)(request, response),
  );
  secure.on('tlsClientError', () => undefined);
  await listening(plain, 0);
  await listening(secure, 0);
  const stop = (): void => {
    for (const server of [plain, secure]) {
      server.close();
      server.closeAllConnections();
    }
  };
  return { httpPort: portOf(plain), httpsPort: portOf(secure), authority, stop };
}

export function toHttps(port: number, status = 308): RequestListener {
  return (request, response) => {
    const name = (request.headers.host ?? '').split(':')[0] ?? '';
    response.writeHead(status, { location: `https://${name}:${String(port)}${request.url ?? ''}` }).end();
  };
}

/** Passes to a service on loopback, as plainly as can be. */
export function passTo(port: number): RequestListener {
  return (request, response) => {
    const outgoing = { host: '127.0.0.1', port, path: request.url, headers: request.headers, agent: false };
    http
      .get(outgoing, (incoming) => {
        response.writeHead(incoming.statusCode ?? 0, incoming.headers);
        incoming.pipe(response);
      })
      // A test that is over takes its service away.
      .on('error', () => response.destroy());
  };
}

const notFound: RequestListener = (_, response) => {
  response.writeHead(404).end('nothing\n');
};
