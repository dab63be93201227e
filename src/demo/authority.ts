import https from 'node:https';
import type { AddressInfo } from 'node:net';
import { makeAuthority, makeKey, signLeaf, type Pair } from '../adapters/certificates/make.ts';
import { AcmeProtocol } from './acme-protocol.ts';

interface RunningAuthority {
  directory: string;
  /** PEM of the root that signs its own API and all that it issues. */
  root: string;
  stop: () => Promise<void>;
}

export interface AuthorityInput {
  /** Port of plain HTTP on loopback where it looks for proofs, whatever the name. */
  httpPort: number;
}

/**
 * A small stand-in for an ACME authority (RFC 8555) on loopback, for machines without one. Signatures and nonces are proven,
 * HTTP-01 is really looked at, and what it issues leads to a root that nobody else trusts. It offers no DNS challenge, and
 * forgets everything when it stops.
 */
export async function startAuthority({ httpPort }: AuthorityInput): Promise<RunningAuthority> {
  const now = new Date();
  const signer = await makeAuthority({ name: 'Demo authority', now });
  const { certificate, key } = await ownPair(signer, now);
  const server = https.createServer({ cert: certificate, key });
  await new Promise<void>((resolve, reject) => {
    server.once('error', reject);
    server.listen(0, '127.0.0.1', resolve);
  });
  const base = `https://127.0.0.1:${String((server.address() as AddressInfo).port)}`;
  const protocol = new AcmeProtocol({ base, signer, httpPort });
  server.on('request', (request, response) => {
    let body = '';
    request.setEncoding('utf8').on('data', (text: string) => (body += text));
    request.on('end', () => {
      void protocol.answer(request.url ?? '', body).then(({ status, body: said, location }) => {
        const isText = typeof said === 'string';
        response.writeHead(status, {
          'content-type': isText ? 'application/pem-certificate-chain' : 'application/json',
          'replay-nonce': protocol.nonce(),
          ...(location === undefined ? {} : { location }),
        });
        response.end(isText ? said : JSON.stringify(said));
      });
    });
  });
  return {
    directory: `${base}/directory`,
    root: signer.certificate,
    stop: () =>
      new Promise((resolve) => {
        server.close(() => resolve());
        server.closeAllConnections();
      }),
  };
}

/** Its API is asked by address, which its certificate must cover. */
async function ownPair(authority: Pair, now: Date): Promise<Pair> {
  const { publicKey, key } = await makeKey();
  const certificate = await signLeaf({ names: [], addresses: ['127.0.0.1'], publicKey, authority, now, days: 1 });
  return { certificate, key };
}
