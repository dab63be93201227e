import http2 from 'node:http2';
import tls from 'node:tls';

/** A session of HTTP/2 with a front of this machine. */
export function sessionTo(port: number, servername: string): http2.ClientHttp2Session {
  const session = http2.connect(`https://${servername}`, {
    createConnection: () =>
      tls.connect({ host: '127.0.0.1', port, servername, ALPNProtocols: ['h2'], rejectUnauthorized: false }),
  });
  session.on('error', () => undefined);
  return session;
}
