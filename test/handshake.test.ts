import net from 'node:net';
import tls from 'node:tls';
import { makeThrowaway } from '../src/adapters/certificates/make.ts';
import { handshake } from '../src/adapters/probe/handshake.ts';
import { weakSuite } from '../src/adapters/probe/weak-suites.ts';
import { spokeTls, type Failure } from '../src/core/legs/answer.ts';
import { suitesWithoutProtection, suitesWithoutSecrecy } from '../src/core/legs/tls/weak-suites.ts';
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

test('a server that takes 3DES, which no library here speaks any more, is found by the hello and its answer', async () => {
  const offered: number[][] = [];
  const server = net.createServer((socket) => {
    socket
      .on('error', () => undefined)
      .once('data', (hello: Buffer) => {
        // RFC 5246 §7.4.1.2: record (5), header (4), version (2), random (32), an empty session id (1), then the suites.
        const suites = hello.subarray(46, 46 + hello.readUInt16BE(44));
        offered.push(Array.from({ length: suites.length / 2 }, (_, index) => suites.readUInt16BE(index * 2)));
        const body = Buffer.concat([Buffer.from([3, 3]), Buffer.alloc(32, 7), Buffer.from([0, 0x00, 0x0a, 0])]);
        const message = Buffer.concat([Buffer.from([2, 0, 0, body.length]), body]);
        socket.end(Buffer.concat([Buffer.from([22, 3, 3, 0, message.length]), message]));
      });
  });
  await listening(server, 0);
  const at = { address: '127.0.0.1', port: portOf(server), name: 'log.saltmarsh.example' };
  const taken = await weakSuite({ ...at, timeoutMs: 5000, signal: new AbortController().signal });
  server.close();
  expect(taken).toEqual({ name: 'TLS_RSA_WITH_3DES_EDE_CBC_SHA', hasSecrecy: false });
  expect(offered).toEqual([[...suitesWithoutProtection.keys()], [...suitesWithoutSecrecy.keys()]]);
});
