import http2 from 'node:http2';
import net from 'node:net';
import tls from 'node:tls';
import type { Outcome } from './raw.ts';
import type { Row } from './held-against-verdict.ts';

interface Http2Input {
  port: number;
  from: string;
  servername: string | null;
  row: Pick<Row, 'host' | 'method' | 'target' | 'headers' | 'body'>;
}

/** A session of HTTP/2 with a front of this machine. */
export function sessionTo(port: number, servername: string): http2.ClientHttp2Session {
  const session = http2.connect(`https://${servername}`, {
    createConnection: () =>
      tls.connect({ host: '127.0.0.1', port, servername, ALPNProtocols: ['h2'], rejectUnauthorized: false }),
  });
  session.on('error', () => undefined);
  return session;
}

/** One request over HTTP/2. A refused handshake, a connection that ends without an answer, or the answer. */
export function sendHttp2({ port, from, servername, row }: Http2Input): Promise<Outcome> {
  return new Promise((resolve) => {
    const socket = tls.connect({
      socket: net.connect({ host: '127.0.0.1', port, localAddress: from }),
      ALPNProtocols: ['h2'],
      rejectUnauthorized: false,
      ...(servername === null ? {} : { servername }),
    });
    const done = (outcome: Outcome): void => {
      socket.destroy();
      resolve(outcome);
    };
    socket.once('error', () => done({ kind: 'no-handshake' }));
    socket.once('secureConnect', () => {
      if (socket.alpnProtocol !== 'h2') throw new Error(`the front speaks ${String(socket.alpnProtocol)}`);
      const [authority, ...hosts] = row.host ?? [];
      const session = http2.connect('https://none', { createConnection: () => socket });
      session.on('error', () => done({ kind: 'closed' }));
      const headers = Object.create(null) as Record<string, string | string[]>;
      for (const [name, value] of row.headers ?? []) headers[name.toLowerCase()] = value;
      const stream = session.request(
        {
          ':method': row.method ?? 'GET',
          // RFC 9113 §8.5: a request to tunnel has a place to go, and no path.
          ...(row.method === 'CONNECT' ? {} : { ':path': row.target ?? '/' }),
          ...(authority === undefined ? {} : { ':authority': authority }),
          ...(hosts[0] === undefined ? {} : { host: hosts[0] }),
          ...headers,
        },
        { endStream: row.body === undefined },
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
      if (row.body !== undefined) stream.end(row.body);
    });
    socket.setTimeout(5000, () => done({ kind: 'closed' }));
  });
}
