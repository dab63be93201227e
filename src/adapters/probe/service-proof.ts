import { createHash, X509Certificate } from 'node:crypto';
import { readFileSync } from 'node:fs';
import net from 'node:net';
import tls, { checkServerIdentity } from 'node:tls';
import type { ServiceProof } from '../../core/legs/service/service-proof.ts';
import type { UpstreamTrust } from '../../core/plan/upstream.ts';
import { certificateFacts } from '../certificates/read.ts';
import { codeOf } from '../trouble.ts';
import { anySuite } from './ask.ts';
import { fromAddress, type Limits } from './connect.ts';

interface ProofInput extends Limits {
  address: string;
  port: number;
  /** What its certificate must carry: a name or an address. */
  verifyAs: string;
  trust: UpstreamTrust;
}

/**
 * What a service behind HTTPS shows of itself, and whether a front that is told to trust in this way believes it. Null when no handshake comes to
 * its end, or when the file of its authority cannot be read: both are found elsewhere.
 */
export function serviceProof({ address, port, verifyAs, trust, ...limits }: ProofInput): Promise<ServiceProof | null> {
  const ca = trust.kind === 'ca' ? textOf(trust.file) : undefined;
  if (ca === null || limits.signal.aborted) return Promise.resolve(null);
  return new Promise((resolve) => {
    const socket = tls.connect({
      host: address,
      port,
      servername: net.isIP(verifyAs) === 0 ? verifyAs : '',
      rejectUnauthorized: false,
      checkServerIdentity: () => undefined,
      ciphers: anySuite,
      ...(ca === undefined ? {} : { ca }),
      ...fromAddress(limits.from),
    });
    const end = (proof: ServiceProof | null): void => {
      clearTimeout(timer);
      limits.signal.removeEventListener('abort', abort);
      socket.destroy();
      resolve(proof);
    };
    const abort = (): void => end(null);
    const timer = setTimeout(abort, limits.timeoutMs);
    limits.signal.addEventListener('abort', abort, { once: true });
    socket.once('secureConnect', () => end(proofOf(socket, verifyAs)));
    socket.on('error', () => end(null)).once('close', () => end(null));
  });
}

function textOf(file: string): string | null {
  try {
    return readFileSync(file, 'latin1');
  } catch (error) {
    if (codeOf(error) !== null) return null;
    throw error;
  }
}

function proofOf(socket: tls.TLSSocket, verifyAs: string): ServiceProof {
  const shown = socket.getPeerCertificate();
  const certificate = new X509Certificate(shown.raw);
  const spki = certificate.publicKey.export({ type: 'spki', format: 'der' });
  return {
    leaf: certificateFacts(certificate),
    pin: createHash('sha256').update(spki).digest('base64'),
    chainProblem: socket.authorized ? null : String(socket.authorizationError),
    fitsName: checkServerIdentity(verifyAs, shown) === undefined,
  };
}
