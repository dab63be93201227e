import { X509Certificate } from 'node:crypto';
import http2 from 'node:http2';
import net from 'node:net';
import tls, { createSecureContext, rootCertificates, type DetailedPeerCertificate, type SecureContext } from 'node:tls';
import type { Attempt } from '../../core/legs/answer.ts';
import type { ChainDates, TlsEvidence } from '../../core/legs/tls/tls.ts';
import { certificateFacts, mustStaple, weakness } from '../certificates/read.ts';
import { anySuite } from './ask.ts';
import { fromAddress, type Limits } from './connect.ts';
import { closedUnheard, failureOf, TimeUp } from './failure.ts';

/** Authorities beside the public ones, PEM. */
export interface Trust {
  given: string[];
  practice: string[];
}

interface HandshakeInput extends Limits {
  address: string;
  port: number;
  /** Empty: no name is sent. */
  name: string;
  trust: Trust;
}

/** What a handshake came to. HTTP/2 is spoken when the server chose it. */
export type Shaken = Omit<TlsEvidence, 'old' | 'inOrder' | 'weakSuite'>;

/**
 * Does a TLS handshake for `name` as a browser does it, offering HTTP/2 and HTTP/1.1, and reads what is shown. Nothing is refused here: judging is
 * the core's. Where HTTP/2 is chosen (RFC 7301 §3.2) it is spoken, until the server has sent its settings (RFC 9113 §3.4).
 */
export function handshake({
  address,
  port,
  name,
  trust,
  timeoutMs,
  signal,
  from,
}: HandshakeInput): Promise<Attempt<Shaken>> {
  return new Promise((resolve) => {
    if (signal.aborted) {
      resolve({ ok: false, failure: failureOf(new Error('interrupted')) });
      return;
    }
    const known = contextOf(trust);
    const wire = net.connect({ host: address, port, ...fromAddress(from) });
    const options: tls.ConnectionOptions & { requestOCSP: boolean } = {
      socket: wire,
      servername: name,
      ALPNProtocols: ['h2', 'http/1.1'],
      secureContext: known.context,
      rejectUnauthorized: false,
      checkServerIdentity: () => undefined,
      requestOCSP: true,
    };
    const socket = tls.connect(options);
    let isStapled = false;
    socket.once('OCSPResponse', (word: Buffer | null) => (isStapled = word !== null && word.length > 0));
    const abort = (): void => {
      socket.destroy(new Error('interrupted'));
    };
    signal.addEventListener('abort', abort, { once: true });
    const timer = setTimeout(() => socket.destroy(new TimeUp('no handshake', timeoutMs)), timeoutMs);
    const end = (attempt: Attempt<Shaken>): void => {
      clearTimeout(timer);
      signal.removeEventListener('abort', abort);
      socket.destroy();
      wire.destroy();
      resolve(attempt);
    };
    let isShaken = false;
    socket.once('secureConnect', () => {
      isShaken = true;
      const shown = evidenceOf(socket, { trust, seen: known.seen, place: `${address} ${String(port)}` });
      const evidence = { ...shown, lacksStaple: shown.lacksStaple === true && !isStapled };
      if (socket.alpnProtocol !== 'h2') end({ ok: true, value: evidence });
      else
        void settingsCome(socket, timeoutMs / 3).then((speaksTwo) =>
          end({ ok: true, value: { ...evidence, speaksTwo } }),
        );
    });
    socket.on('error', (error) => {
      if (!isShaken) end({ ok: false, failure: failureOf(error, wire.bytesRead) });
    });
    socket.once('close', () => {
      const cut = { kind: 'broken', reason: 'the connection was closed', because: 'ended' } as const;
      if (!isShaken) end({ ok: false, failure: wire.bytesRead === 0 ? closedUnheard : cut });
    });
  });
}

/** @property seen what was made of the chains that came, by place and certificate: names with one certificate are many */
interface KnownTrust {
  context: SecureContext;
  seen: Map<string, ChainEvidence>;
}

/** @property lacksStaple it must come with a word of its authority; whether that came is another matter */
type ChainEvidence = Pick<Shaken, 'leaf' | 'trustedBy' | 'chainDates' | 'weak' | 'lacksStaple'>;

const contexts = new Map<string, KnownTrust>();
/** A run has at most two kinds of trust; one that goes on for months meets a new one with every new authority. */
const mostContexts = 8;

/** Reading all roots takes longer than many handshakes, so it is done once for each set of them. */
function contextOf(trust: Trust): KnownTrust {
  const more = [...trust.given, ...trust.practice];
  const key = more.join('\n');
  const known = contexts.get(key);
  if (known !== undefined) return known;
  const context = createSecureContext({ ca: [...rootCertificates, ...more], ciphers: anySuite });
  const made = { context, seen: new Map<string, ChainEvidence>() };
  if (contexts.size >= mostContexts) contexts.clear();
  contexts.set(key, made);
  return made;
}

function settingsCome(socket: tls.TLSSocket, timeoutMs: number): Promise<boolean> {
  return new Promise((resolve) => {
    const session = http2.connect('https://front', { createConnection: () => socket });
    const timer = setTimeout(() => resolve(false), timeoutMs);
    const end = (comes: boolean): void => {
      clearTimeout(timer);
      resolve(comes);
    };
    session.once('remoteSettings', () => end(true));
    session.on('error', () => end(false));
    session.once('close', () => end(false));
  });
}

/** Of a run with ten thousand certificates all fit. */
const mostSeen = 20_000;

interface Place {
  trust: Trust;
  seen: Map<string, ChainEvidence>;
  place: string;
}

function evidenceOf(socket: tls.TLSSocket, { trust, seen, place }: Place): Shaken {
  // The newer call, getPeerX509Certificate, takes the leaf out of the chain that is read next (Node 20).
  const { fingerprint256 } = socket.getPeerCertificate();
  const chainProblem = socket.authorized ? null : String(socket.authorizationError);
  const key = `${place} ${fingerprint256} ${chainProblem ?? ''}`;
  const chain = seen.get(key) ?? chainEvidence(socket, trust);
  if (seen.size >= mostSeen) seen.clear();
  seen.set(key, chain);
  return {
    ...chain,
    protocol: (socket.getProtocol() ?? '').replace('TLSv', 'TLS '),
    chainProblem,
    suite: socket.getCipher().standardName,
    speaksTwo: null,
  };
}

function chainEvidence(socket: tls.TLSSocket, trust: Trust): ChainEvidence {
  const chain = socket.getPeerCertificate(true);
  const certificate = new X509Certificate(chain.raw);
  return {
    leaf: certificateFacts(certificate),
    trustedBy: socket.authorized ? trustOf(chain, trust) : null,
    chainDates: datesAbove(chain),
    weak: weakness(certificate),
    lacksStaple: mustStaple(certificate),
  };
}

/** Of those that signed it, as far as they were sent or are known here. */
function datesAbove(leaf: DetailedPeerCertificate): ChainDates[] {
  const dates: ChainDates[] = [];
  for (let one = leaf; one.issuerCertificate !== undefined && one.issuerCertificate !== one;) {
    one = one.issuerCertificate;
    const { subject, notBefore, notAfter } = certificateFacts(new X509Certificate(one.raw));
    dates.push({ subject, notBefore, notAfter });
    if (dates.length > 10) break;
  }
  return dates;
}

function trustOf(chain: DetailedPeerCertificate, trust: Trust): TlsEvidence['trustedBy'] {
  let root = chain;
  // A root is its own issuer, in Node's view as in the certificate's.
  while (root.issuerCertificate !== undefined && root.issuerCertificate !== root) root = root.issuerCertificate;
  const isOneOf = (pems: string[]): boolean => pems.some((pem) => root.raw.equals(new X509Certificate(pem).raw));
  if (isOneOf(trust.given)) return 'given';
  return isOneOf(trust.practice) ? 'practice' : 'public';
}
