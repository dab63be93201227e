import http from 'node:http';
import http2 from 'node:http2';
import { readFileSync } from 'node:fs';
import type net from 'node:net';

/**
 * The smallest proxy on Node's own libraries that says the same headers over the same TLS as the builtin front does: what the builtin front is held
 * against. Without a service it answers by itself.
 *
 * Arguments: port, certificate file, key file, name, port of the service (0: none), port of the one for /up and /live
 */
const [port = '0', certificate = '', key = '', name = '', service = '0', taker = '0'] = process.argv.slice(2);
const agent = new http.Agent({ keepAlive: true });
const added = {
  'strict-transport-security': 'max-age=86400',
  'x-content-type-options': 'nosniff',
  'x-frame-options': 'SAMEORIGIN',
  'referrer-policy': 'strict-origin-when-cross-origin',
};
const ofConnection = ['connection', 'keep-alive', 'transfer-encoding', 'upgrade'];

const server = http2.createSecureServer(
  {
    cert: readFileSync(certificate),
    key: readFileSync(key),
    allowHTTP1: true,
    noDelay: true,
    minVersion: 'TLSv1.2',
  } as http2.SecureServerOptions,
  (request, response) => {
    if (service === '0') {
      response.end('hello\n');
      return;
    }
    const outgoing = http.request(
      {
        host: '127.0.0.1',
        port: request.url === '/up' ? taker : service,
        method: request.method,
        path: request.url,
        headers: told(request),
        agent,
      },
      (incoming) => {
        response.writeHead(incoming.statusCode ?? 502, { ...passable(incoming.headers), ...added });
        incoming.pipe(response as unknown as http.ServerResponse);
      },
    );
    outgoing.on('error', () => response.destroy());
    request.pipe(outgoing);
  },
);
server.on('upgrade', (request: http.IncomingMessage, socket: net.Socket) => {
  const headers = { ...told(request), connection: 'Upgrade', upgrade: 'websocket' };
  const outgoing = http.request({ host: '127.0.0.1', port: taker, path: request.url, headers });
  outgoing.on('upgrade', (incoming, upstream) => {
    const lines = Object.entries(incoming.headers).map(([line, value]) => `${line}: ${String(value)}\r\n`);
    socket.write(`HTTP/1.1 101 Switching Protocols\r\n${lines.join('')}\r\n`);
    socket.pipe(upstream).pipe(socket);
    for (const end of [socket, upstream]) end.on('error', () => end.destroy());
  });
  outgoing.on('error', () => socket.destroy());
  outgoing.end();
});
server.on('sessionError', () => undefined);
server.listen(Number(port), '127.0.0.1', () => process.stdout.write('ready\n'));

function told(request: http.IncomingMessage | http2.Http2ServerRequest): http.OutgoingHttpHeaders {
  const client = request.socket.remoteAddress ?? '';
  return {
    ...passable(request.headers),
    host: name,
    forwarded: `for=${client};host="${name}";proto=https`,
    'x-forwarded-for': client,
    'x-forwarded-host': name,
    'x-forwarded-port': '443',
    'x-forwarded-proto': 'https',
    'x-real-ip': client,
  };
}

function passable(headers: http.IncomingHttpHeaders): http.OutgoingHttpHeaders {
  const kept = Object.entries(headers).filter(([line]) => !line.startsWith(':') && !ofConnection.includes(line));
  return Object.fromEntries(kept);
}
