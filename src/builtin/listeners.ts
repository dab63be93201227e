import { constants } from 'node:crypto';
import http, { IncomingMessage, type Server } from 'node:http';
import http2, { type Http2Server } from 'node:http2';
import type { Socket } from 'node:net';
import tls, { type SecureContext, type TLSSocket } from 'node:tls';
import { longestHeadBytes, modernSuites } from '../core/front-limits.ts';
import { beginInTurn } from './stream-queue.ts';
import type { Patience } from './patience.ts';

/** OpenSSL's names; all of them have forward secrecy (RFC 8446 §B.4). */
const tls13Suites = ['TLS_AES_128_GCM_SHA256', 'TLS_AES_256_GCM_SHA384', 'TLS_CHACHA20_POLY1305_SHA256'];

/** What a handshake may agree on, for `ciphers` of node:tls. */
export const suites = [...tls13Suites, ...modernSuites].join(':');

/**
 * A request of HTTP/1 whose upgrade counts only where it asks for a WebSocket (RFC 6455 §4.1). Any other upgrade is one that the front does not
 * know and passes over (RFC 9110 §7.8); Node would stop reading the connection as HTTP for it.
 */
class VisitorRequest extends IncomingMessage {
  private asked = false;

  set upgrade(asked: boolean | null) {
    this.asked = asked === true;
  }

  get upgrade(): boolean {
    return this.asked && (this.method === 'CONNECT' || this.asksForWebSocket());
  }

  private asksForWebSocket(): boolean {
    return this.method === 'GET' && this.httpVersion === '1.1' && /^websocket$/i.test(this.headers.upgrade ?? '');
  }
}

/** HTTP/1, also for what comes out of a TLS connection. Slow uploads are welcome, slow heads are not; idle connections are the front's own business. */
export function http1Server({ headMs }: Patience): Server {
  const server = http.createServer({
    IncomingMessage: VisitorRequest,
    requestTimeout: 0,
    headersTimeout: headMs,
    connectionsCheckingInterval: Math.min(5_000, headMs),
    keepAliveTimeout: 0,
    maxHeaderSize: longestHeadBytes,
    noDelay: true,
  });
  // Node drops what is above its limit in silence, lengths of bodies among it. The limit in bytes is the only one.
  server.maxHeadersCount = 0;
  // RFC 9110 §10.1.1: an expectation that nobody knows may be passed over, as other servers do.
  server.on('checkExpectation', (request, response) => server.emit('request', request, response));
  return server;
}

/** HTTP/2 on connections that TLS hands over; it listens nowhere. */
export function http2Server(): Http2Server {
  const server = http2.createServer({
    settings: { maxConcurrentStreams: 128, maxHeaderListSize: longestHeadBytes },
    // As many lines as fit into the longest head.
    maxHeaderListPairs: longestHeadBytes / 4,
  });
  server.on('sessionError', () => undefined);
  beginInTurn(server);
  return server;
}

type ChooseContext = (name: string, done: (error: Error | null, context?: SecureContext) => void) => void;

/** TLS for both protocols. `onSecure` gets each connection whose handshake is done. @param asksDevices it asks for the certificate of a device, and takes any */
export function tlsServer(
  choose: ChooseContext,
  onSecure: (socket: TLSSocket) => void,
  { headMs }: Patience,
  asksDevices = false,
): tls.Server {
  const server = tls.createServer(
    {
      minVersion: 'TLSv1.2',
      ciphers: suites,
      ALPNProtocols: ['h2', 'http/1.1'],
      handshakeTimeout: headMs,
      noDelay: true,
      // Every handshake is a whole one: a session that is taken up again would bring the name, and so the certificate, of the road that began it.
      secureOptions: constants.SSL_OP_NO_TICKET,
      // Without a default certificate a handshake that names no road ends in an alert, and nothing is shown.
      SNICallback: choose,
      ...(asksDevices ? { requestCert: true, rejectUnauthorized: false } : {}),
    },
    onSecure,
  );
  // What a client broke off or what was refused is no news; without a listener Node would print it.
  server.on('tlsClientError', (_: Error, socket: Socket) => socket.destroy());
  return server;
}
