import { dnsName, token as parseToken } from '../core/outside/words.ts';
import { randomBytes } from 'node:crypto';
import * as z from 'zod';
import { askFront } from '../adapters/acme/publish.ts';
import { readRequest, signLeaf, type Pair } from '../adapters/certificates/make.ts';
import { readSigned, thumbprint, type Jwk, type Signed } from './jws.ts';

export interface Reply {
  status: number;
  /** A text is a certificate; anything else goes out as JSON. */
  body: unknown;
  location?: string;
}

interface Order {
  account: string;
  /** Token and whether it was proven, by name. */
  proofs: Array<{ name: string; token: string; proven: boolean }>;
  certificate: string | null;
}

interface ProtocolInput {
  base: string;
  signer: Pair;
  httpPort: number;
}

const leafDays = 90;
const timeoutMs = 5000;
const orderForm = z.object({ identifiers: z.array(z.object({ type: z.literal('dns'), value: z.string() })).min(1) });
const finalForm = z.object({ csr: z.string() });

/** What the stand-in authority knows and answers (RFC 8555 §7). */
export class AcmeProtocol {
  private readonly nonces = new Set<string>();
  private readonly accounts = new Map<string, Jwk>();
  private readonly orders: Order[] = [];

  constructor(private readonly input: ProtocolInput) {}

  nonce(): string {
    const nonce = randomBytes(16).toString('base64url');
    this.nonces.add(nonce);
    return nonce;
  }

  async answer(path: string, body: string): Promise<Reply> {
    if (path === '/directory') return { status: 200, body: this.directory() };
    if (path === '/nonce') return { status: 200, body: {} };
    const signed = readSigned(body, (account) => this.accounts.get(account) ?? null);
    if (signed === null || signed.header.url !== this.input.base + path) {
      return refusal('malformed', 'The signature does not fit.');
    }
    if (!this.nonces.delete(signed.header.nonce)) return refusal('badNonce', 'This nonce was used, or never given.');
    if (path === '/account') return this.openAccount(signed);
    const account = signed.header.kid ?? '';
    if (!this.accounts.has(account)) return refusal('accountDoesNotExist', 'There is no such account.');
    if (path === '/orders') return this.placeOrder(account, signed.payload);
    const [, what = '', number = '', index = ''] = /^\/(\w+)\/(\d+)(?:\/(\d+))?$/.exec(path) ?? [];
    const order = this.orders[Number(number)];
    if (order?.account !== account) return refusal('malformed', 'There is no such order.');
    return this.aboutOrder({ what, order, number: Number(number), index: Number(index), signed });
  }

  private directory(): unknown {
    const { base } = this.input;
    return { newNonce: `${base}/nonce`, newAccount: `${base}/account`, newOrder: `${base}/orders`, meta: {} };
  }

  private openAccount({ header, key }: Signed): Reply {
    if (header.jwk === undefined) return refusal('malformed', 'A new account needs its key.');
    const location = `${this.input.base}/account/${thumbprint(key)}`;
    const status = this.accounts.has(location) ? 200 : 201;
    this.accounts.set(location, key);
    return { status, location, body: { status: 'valid' } };
  }

  private placeOrder(account: string, payload: unknown): Reply {
    const wanted = orderForm.safeParse(payload);
    if (!wanted.success) return refusal('malformed', 'An order needs names.');
    const names = wanted.data.identifiers.map(({ value }) => value);
    const wild = names.find((name) => name.startsWith('*'));
    if (wild !== undefined)
      return refusal('rejectedIdentifier', `${wild} needs a DNS challenge, which is not offered here.`);
    const proofs = names.map((name) => ({ name, token: randomBytes(24).toString('base64url'), proven: false }));
    const number = this.orders.push({ account, proofs, certificate: null }) - 1;
    return { status: 201, location: `${this.input.base}/order/${String(number)}`, body: this.shown(number) };
  }

  private shown(number: number): unknown {
    const { base } = this.input;
    const { proofs = [], certificate = null } = this.orders[number] ?? {};
    const ready = proofs.every(({ proven }) => proven) ? 'ready' : 'pending';
    return {
      status: certificate === null ? ready : 'valid',
      identifiers: proofs.map(({ name: value }) => ({ type: 'dns', value })),
      authorizations: proofs.map((_, index) => `${base}/proof/${String(number)}/${String(index)}`),
      finalize: `${base}/final/${String(number)}`,
      ...(certificate === null ? {} : { certificate: `${base}/certificate/${String(number)}` }),
    };
  }

  private async aboutOrder({ what, order, number, index, signed }: About): Promise<Reply> {
    const proof = order.proofs[index];
    switch (what) {
      case 'order':
        return { status: 200, body: this.shown(number) };
      case 'proof':
      case 'challenge': {
        if (proof === undefined) return refusal('malformed', 'There is no such proof.');
        // An empty object asks to look; nothing at all asks how it stands.
        if (what === 'challenge' && signed.payload !== null) proof.proven = await this.looks(proof, signed.key);
        const url = `${this.input.base}/challenge/${String(number)}/${String(index)}`;
        const status = proof.proven ? 'valid' : 'pending';
        const challenge = { type: 'http-01', url, token: proof.token, status };
        if (what === 'challenge' && !proof.proven) return refusal('incorrectResponse', `${proof.name} shows no proof.`);
        const whole = { status, identifier: { type: 'dns', value: proof.name }, challenges: [challenge] };
        return { status: 200, body: what === 'challenge' ? challenge : whole };
      }
      case 'final':
        return this.issue(order, number, signed.payload);
      case 'certificate':
        return order.certificate === null
          ? refusal('malformed', 'Not issued.')
          : { status: 200, body: order.certificate };
      default:
        return refusal('malformed', 'There is no such address.');
    }
  }

  /** RFC 8555 §8.3: the file holds the token and the thumbprint of the account's key. */
  private async looks({ name, token }: Order['proofs'][number], key: Jwk): Promise<boolean> {
    // Whatever the name: the demo's names lead nowhere but to this machine.
    const front = { address: '127.0.0.1', port: this.input.httpPort };
    const [own, asked] = [dnsName(name), parseToken(token)];
    const found = own === null || asked === null ? null : await askFront(front, { name: own, token: asked }, timeoutMs);
    return found?.trim() === `${token}.${thumbprint(key)}`;
  }

  private async issue(order: Order, number: number, payload: unknown): Promise<Reply> {
    const names = order.proofs.map(({ name }) => name);
    if (!order.proofs.every(({ proven }) => proven)) return refusal('orderNotReady', 'Some names are not proven.');
    const asked = finalForm.safeParse(payload);
    const request = asked.success ? await readRequest(Buffer.from(asked.data.csr, 'base64url')) : null;
    if (request === null || request.names.sort().join() !== [...names].sort().join()) {
      return refusal('badCSR', 'The request is not for the names of the order.');
    }
    const { signer: authority } = this.input;
    const { publicKey } = request;
    order.certificate = await signLeaf({ names, publicKey, authority, now: new Date(), days: leafDays });
    return { status: 200, body: this.shown(number) };
  }
}

interface About {
  what: string;
  order: Order;
  number: number;
  index: number;
  signed: Signed;
}

function refusal(type: string, detail: string): Reply {
  return { status: 400, body: { type: `urn:ietf:params:acme:error:${type}`, detail } };
}
