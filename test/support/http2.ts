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

/** What a client says first (RFC 9113 §3.4), with settings that leave everything as it is. */
export const preface = Buffer.concat([
  Buffer.from('PRI * HTTP/2.0\r\n\r\nSM\r\n\r\n'),
  Buffer.from([0, 0, 0, 4, 0, 0, 0, 0, 0]),
]);

/** A HEADERS frame (RFC 9113 §6.2) that is its whole head, without any compression (RFC 7541 §6.2.2). @param ends no body follows */
export function headersFrame(headers: Record<string, string>, id = 1, ends = false): Buffer {
  const text = (one: string): Buffer => Buffer.concat([Buffer.from([one.length]), Buffer.from(one)]);
  const lines = Object.entries(headers).flatMap(([key, value]) => [Buffer.from([0]), text(key), text(value)]);
  return frame(1, ends ? 5 : 4, id, Buffer.concat(lines));
}

/** A request that is taken back at once (RFC 9113 §6.4, CANCEL). */
export function takenBackStream(id: number, authority: string): Buffer {
  const head = { ':method': 'GET', ':scheme': 'https', ':path': '/', ':authority': authority };
  return Buffer.concat([headersFrame(head, id, true), frame(3, 0, id, Buffer.from([0, 0, 0, 8]))]);
}

function frame(type: number, flags: number, id: number, payload: Buffer): Buffer {
  const head = Buffer.alloc(9);
  head.writeUIntBE(payload.length, 0, 3);
  head.writeUInt8(type, 3);
  head.writeUInt8(flags, 4);
  head.writeUInt32BE(id, 5);
  return Buffer.concat([head, payload]);
}
