import http from 'node:http';
import http2 from 'node:http2';
import https from 'node:https';
import net from 'node:net';
import type tls from 'node:tls';
import { createSecureContext, type SecureContext, type TLSSocket } from 'node:tls';
import { listening } from '../support/ports.ts';
import type { Pair, TestAuthority } from './certificates.ts';
import { handlerOf, type TestBed } from './does.ts';
import type { Does, NodeFront, Raw } from './row.ts';

export interface NodeFrontInput {
  front: NodeFront;
  address: string;
  bed: TestBed;
  names: { nestcam: string; tides: string };
  authority: TestAuthority;
}

export type Closing = () => void;

/** Starts both listeners of a front that somebody set up by hand, at one address. */
export async function startNodeFront(input: NodeFrontInput): Promise<Closing[]> {
  const { front, address, bed } = input;
  const right: Does = { answers: 308, headers: { location: 'https://{name}:{https}{target}' } };
  const plain = (): net.Server =>
    http.createServer(byName(input, front.http ?? right, front.plainStrangers ?? 'closes', right));
  const servers: Array<{ does: Raw | 'plain' | 'tls' | 'nobody'; port: number }> = [
    { does: front.rawHttps ?? 'tls', port: bed.https },
    { does: front.rawHttp ?? 'plain', port: bed.http },
  ];
  const closings: Closing[] = [];
  for (const { does, port } of servers) {
    if (does === 'nobody') continue;
    const server = does === 'tls' ? await secureServer(input) : does === 'plain' ? plain() : rawServer(does);
    await listening(server, port, address);
    closings.push(closing(server));
  }
  return closings;
}

export function closing(server: net.Server): Closing {
  const open = new Set<net.Socket>();
  server.on('connection', (socket: net.Socket) => {
    open.add(socket);
    socket.on('error', () => undefined).once('close', () => open.delete(socket));
  });
  return () => {
    server.close();
    for (const socket of open) socket.destroy();
  };
}

/** The road and its neighbour have what is theirs; who asks for another name is a stranger. */
function byName({ bed, names }: NodeFrontInput, own: Does, strangers: Does, neighbour: Does): http.RequestListener {
  return (request, response) => {
    const host = (request.headers.host ?? (request.headers[':authority'] as string | undefined) ?? '')
      .split(':')[0]
      ?.toLowerCase();
    const does = host === names.nestcam ? own : host === names.tides ? neighbour : strangers;
    handlerOf(does, bed)(request, response);
  };
}

async function secureServer(input: NodeFrontInput): Promise<net.Server> {
  const { front, names, authority, bed } = input;
  const { min = 'TLSv1.2', max, ciphers, alpn } = front.tls ?? {};
  const shared = {
    minVersion: min,
    ...(max === undefined ? {} : { maxVersion: max }),
    ...(ciphers === undefined ? {} : { ciphers }),
  };
  const spec = front.certificate ?? {};
  const neighbour = await authority.leaf(
    names.tides,
    spec !== 'none' && spec.key === 'rsa-2048' ? { key: spec.key } : {},
  );
  const own = spec === 'none' ? null : await authority.leaf(names.nestcam, spec);
  const contextOf = ({ certificate, key: secret }: Pair): SecureContext =>
    createSecureContext({ cert: certificate, key: secret, ...shared });
  const contexts = new Map([[names.tides, contextOf(neighbour)]]);
  if (own !== null) contexts.set(names.nestcam, contextOf(own));
  const fallback = front.showsToAll === true ? (own ?? neighbour) : null;
  const shown = fallback === null ? undefined : contextOf(fallback);
  const options: https.ServerOptions = {
    ...shared,
    ...(fallback === null ? {} : { cert: fallback.certificate, key: fallback.key }),
    ...(alpn === undefined ? {} : { ALPNProtocols: alpn }),
    SNICallback: (name, done) => {
      const context = contexts.get(name) ?? shown;
      done(context === undefined ? new Error('unknown name') : null, context);
    },
  };
  const handler = byName(input, front.https ?? 'passes', front.strangers ?? 'closes', { passesTo: 'tides' });
  const server =
    front.speaksTwo === true
      ? http2.createSecureServer({ ...options, allowHTTP1: true }, handler as never)
      : https.createServer(options, handler);
  server.on('tlsClientError', () => undefined);
  if (front.passesUpgrade !== false)
    server.on('upgrade', (request: http.IncomingMessage, socket: TLSSocket) => upgrade(bed.service, request, socket));
  return server;
}

function upgrade(port: number, request: http.IncomingMessage, socket: net.Socket): void {
  const onward = net.connect(port, '127.0.0.1', () => {
    const lines = [];
    for (let at = 0; at < request.rawHeaders.length; at += 2)
      lines.push(`${request.rawHeaders[at] ?? ''}: ${request.rawHeaders[at + 1] ?? ''}`);
    onward.write(`GET ${request.url ?? '/'} HTTP/1.1\r\n${lines.join('\r\n')}\r\n\r\n`);
    socket.pipe(onward).pipe(socket);
  });
  for (const end of [socket, onward]) end.on('error', () => [socket, onward].forEach((one) => one.destroy()));
}

export function rawServer(raw: Raw): net.Server {
  return net.createServer((socket) => {
    socket.on('error', () => undefined);
    if (raw === 'closes') socket.end();
    if (raw === 'banner') socket.write('SSH-2.0-marsh\r\n');
    if (raw === 'http10')
      socket.once('data', () =>
        socket.end('HTTP/1.0 200 OK\r\nContent-Type: text/html\r\n\r\n<title>Nest camera</title><p>as of old times'),
      );
    // The beginning of a handshake record, and then nothing (RFC 8446 §5.1).
    if (raw === 'stalls') socket.once('data', () => socket.write(Buffer.from([22, 3, 3, 0, 90, 2])));
    if (raw !== 'closes') socket.resume();
  });
}

export function tlsServer(pair: { certificate: string; key: string }, handler: http.RequestListener): tls.Server {
  const server = https.createServer({ cert: pair.certificate, key: pair.key }, handler);
  server.on('tlsClientError', () => undefined);
  return server;
}
