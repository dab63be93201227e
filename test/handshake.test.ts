import net from 'node:net';
import tls from 'node:tls';
import { makeThrowaway } from '../src/adapters/certificates/make.ts';
import { handshake } from '../src/adapters/probe/handshake.ts';
import { spokeTls, type Failure } from '../src/core/legs/answer.ts';
import { listening, portOf } from './support/ports.ts';

/** What a handshake that fails broke on, at real servers, and whether TLS was spoken there at all. */

const loose = 'DEFAULT@SECLEVEL=0';
test.each<[string, tls.TlsOptions | 'http', Failure['because'] | 'well', boolean]>([
  ['takes it', {}, 'well', true],
  ['knows old versions alone', { minVersion: 'TLSv1', maxVersion: 'TLSv1.1', ciphers: loose }, 'version', true],
  ['wants another suite', { maxVersion: 'TLSv1.2', ciphers: 'ECDHE-RSA-AES128-GCM-SHA256' }, 'alert', true],
  ['speaks plain HTTP', 'http', 'not-tls', false],
])('a server that %s', async (_, options, because, isTls) => {
  const pair = await makeThrowaway(new Date());
  const plain = (socket: net.Socket): void => void socket.on('error', () => undefined).end('HTTP/1.1 400 Bad\r\n\r\n');
  const server = await listening(
    options === 'http'
      ? net.createServer((socket) => socket.once('data', () => plain(socket)))
      : tls.createServer({ key: pair.key, cert: pair.certificate, ...options }).on('tlsClientError', () => undefined),
    0,
  );
  const trust = { given: [], practice: [] };
  const { signal } = new AbortController();
  try {
    const about = { address: '127.0.0.1', port: portOf(server), name: 'nestcam.saltmarsh.example', trust };
    const attempt = await handshake({ ...about, timeoutMs: 5000, signal });
    expect([attempt.ok ? 'well' : attempt.failure.because, spokeTls(attempt)]).toEqual([because, isTls]);
  } finally {
    server.close();
  }
});
