import http2 from 'node:http2';
import net from 'node:net';
import tls from 'node:tls';
import type { Outcome, Sent } from '../../core/rehearsal/sent.ts';
import type { Pair } from '../certificates/make.ts';
import { shownIn } from '../probe/shown-in.ts';
import { fromAddress } from '../probe/connect.ts';

interface Http2Input {
  address: string;
  port: number;
  sent: Sent;
  device?: Pair | null;
}

/** One request over HTTP/2. A refused handshake, a connection that ends without an answer, or the answer. */
export function sendHttp2({ address, port, sent, device }: Http2Input): Promise<Outcome> {
  return new Promise((resolve) => {
    const socket = tls.connect({
      socket: net.connect({ host: address, port, ...fromAddress(sent.from) }),
      ALPNProtocols: ['h2'],
      rejectUnauthorized: false,
      ...(sent.sni === null ? {} : { servername: sent.sni }),
      ...shownIn(device),
    });
    const done = (outcome: Outcome): void => {
      socket.destroy();
      resolve(outcome);
    };
    // Of TLS 1.3 a client is done before it hears that its certificate is refused (RFC 8446 §4.4.2.4).
    let shaken = false;
    socket.once('error', () => done({ kind: shaken ? 'closed' : 'no-handshake' }));
    socket.once('secureConnect', () => {
      shaken = true;
      if (socket.alpnProtocol !== 'h2') throw new Error(`the front speaks ${String(socket.alpnProtocol)}`);
      const [authority, ...hosts] = sent.host;
      const session = http2.connect('https://none', { createConnection: () => socket });
      session.on('error', () => done({ kind: 'closed' }));
      const headers = Object.create(null) as Record<string, string | string[]>;
      for (const [name, value] of sent.headers) {
        const key = name.toLowerCase();
        const before = headers[key];
        // Several lines of one name stay several.
        headers[key] = before === undefined ? value : [before, value].flat();
      }
      const stream = session.request(
        {
          ':method': sent.method,
          // RFC 9113 §8.5: a request to tunnel has a place to go, and no path.
          ...(sent.method === 'CONNECT' ? {} : { ':path': sent.target }),
          ...(authority === undefined ? {} : { ':authority': authority }),
          ...(hosts[0] === undefined ? {} : { host: hosts[0] }),
          ...headers,
        },
        { endStream: sent.body === null },
      );
      stream.on('response', (answer) => {
        const found = Object.create(null) as Record<string, string>;
        for (const [name, value] of Object.entries(answer)) {
          if (!name.startsWith(':')) found[name] = Array.isArray(value) ? value.join(', ') : String(value);
        }
        outcome = { kind: 'answer', status: Number(answer[':status']), headers: found, body: '' };
      });
      let outcome: Outcome = { kind: 'closed' };
      stream.on('error', () => done({ kind: 'closed' }));
      stream.setEncoding('utf8').on('data', (text: string) => {
        if (outcome.kind === 'answer') outcome.body += text;
      });
      stream.on('close', () => done(outcome));
      if (sent.body !== null) stream.end(sent.body);
    });
    socket.setTimeout(5000, () => done({ kind: 'closed' }));
  });
}
