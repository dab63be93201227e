import { X509Certificate } from 'node:crypto';
import tls, { rootCertificates, type DetailedPeerCertificate } from 'node:tls';
import type { Attempt } from '../../core/legs/answer.ts';
import type { TlsEvidence } from '../../core/legs/tls.ts';
import { certificateFacts } from '../certificates/read.ts';
import type { Limits } from './connect.ts';
import { failureOf, TimeUp } from './failure.ts';

/** Authorities beside the public ones, PEM. */
export interface Trust {
  given: string[];
  practice: string[];
}

export interface HandshakeInput extends Limits {
  address: string;
  port: number;
  name: string;
  trust: Trust;
}

/** Does a TLS handshake for `name` and reads what is shown. Nothing is refused here: judging is the core's. */
export function handshake({
  address,
  port,
  name,
  trust,
  timeoutMs,
  signal,
}: HandshakeInput): Promise<Attempt<TlsEvidence>> {
  return new Promise((resolve) => {
    if (signal.aborted) {
      resolve({ ok: false, failure: failureOf(new Error('interrupted')) });
      return;
    }
    const socket = tls.connect({
      host: address,
      port,
      servername: name,
      ALPNProtocols: ['http/1.1'],
      ca: [...rootCertificates, ...trust.given, ...trust.practice],
      rejectUnauthorized: false,
      checkServerIdentity: () => undefined,
    });
    const abort = (): void => {
      socket.destroy(new Error('interrupted'));
    };
    signal.addEventListener('abort', abort, { once: true });
    const timer = setTimeout(() => socket.destroy(new TimeUp('no handshake', timeoutMs)), timeoutMs);
    const end = (attempt: Attempt<TlsEvidence>): void => {
      clearTimeout(timer);
      signal.removeEventListener('abort', abort);
      socket.destroy();
      resolve(attempt);
    };
    socket.once('secureConnect', () => end({ ok: true, value: evidenceOf(socket, trust) }));
    socket.once('error', (error) => end({ ok: false, failure: failureOf(error) }));
    socket.once('close', () => end({ ok: false, failure: { kind: 'broken', reason: 'the connection was closed' } }));
  });
}

function evidenceOf(socket: tls.TLSSocket, trust: Trust): TlsEvidence {
  const chain = socket.getPeerCertificate(true);
  const leaf = certificateFacts(new X509Certificate(chain.raw));
  const chainProblem = socket.authorized ? null : String(socket.authorizationError);
  return {
    protocol: (socket.getProtocol() ?? '').replace('TLSv', 'TLS '),
    leaf,
    trustedBy: socket.authorized ? trustOf(chain, trust) : null,
    chainProblem,
  };
}

function trustOf(chain: DetailedPeerCertificate, trust: Trust): TlsEvidence['trustedBy'] {
  let root = chain;
  // A root is its own issuer, in Node's view as in the certificate's.
  while (root.issuerCertificate !== undefined && root.issuerCertificate !== root) root = root.issuerCertificate;
  const isOneOf = (pems: string[]): boolean =>
    pems.some((pem) => new X509Certificate(pem).fingerprint256 === root.fingerprint256);
  if (isOneOf(trust.given)) return 'given';
  return isOneOf(trust.practice) ? 'practice' : 'public';
}
