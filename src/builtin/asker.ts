import http, { type IncomingMessage } from 'node:http';
import { askedSeconds, isForVisitor, longestWordBytes } from '../core/gates/asks.ts';
import type { ServiceWord } from '../core/gates/kind.ts';
import { withPort } from '../core/networks/address.ts';
import type { Act } from '../core/verdict/verdict.ts';
import { reasonOf } from '../adapters/trouble.ts';
import { areSound } from './forward.ts';
import { linesToService } from './passing.ts';
import type { AnyRequest } from './request.ts';
import type { Services } from './services.ts';

export type Question = Extract<Act, { act: 'ask' }>;

/** What a service said, whole where it is meant for the visitor. @property lines header names and values by turns */
export interface HeardWord extends ServiceWord {
  lines: string[];
  body: Buffer;
}

const silence: HeardWord = { status: 0, told: {}, lines: [], body: Buffer.alloc(0) };

/** Of the visitor's own headers: what is about the body, which is not sent, or about a copy of the page that he holds. */
const notAsked = [
  ...['content-length', 'content-type', 'content-encoding', 'range'],
  ...['if-match', 'if-none-match', 'if-modified-since', 'if-unmodified-since', 'if-range'],
];

/** Asks services whether a request passes a gate. Whatever goes wrong is silence, and silence lets nobody in. */
export class Asker {
  constructor(
    private readonly services: Services,
    private readonly onTrouble: (message: string) => void,
  ) {}

  async ask(question: Question, request: AnyRequest): Promise<HeardWord> {
    const limit = AbortSignal.timeout(askedSeconds * 1000);
    try {
      // A connection that was kept may end under the question, which may be put twice.
      return await this.once(question, request, limit, 'kept').catch((error: unknown) => {
        if (limit.aborted || !(error instanceof Stale)) throw error;
        return this.once(question, request, limit, 'fresh');
      });
    } catch (error) {
      const { host, port } = question.upstream;
      const why = limit.aborted ? `no answer within ${String(askedSeconds)} seconds` : reasonOf(error);
      this.onTrouble(`${question.said}: the service that a gate asks, at ${withPort(host, port)}: ${why}`);
      return silence;
    }
  }

  private once(
    { upstream, target, headers, tell }: Question,
    request: AnyRequest,
    signal: AbortSignal,
    how: 'kept' | 'fresh',
  ): Promise<HeardWord> {
    const { [how]: agent } = this.services.of(upstream);
    const lines = linesToService(request.rawHeaders, { headers, without: [...notAsked, ...tell] });
    const { host, port } = upstream;
    return new Promise((resolve, reject) => {
      const asking = http.request({
        host,
        port,
        method: 'GET',
        path: target,
        headers: lines,
        setHost: false,
        agent,
        signal,
      });
      asking.once('error', (error) => {
        reject(asking.reusedSocket ? new Stale(error.message, { cause: error }) : error);
      });
      let isAnswered = false;
      asking.once('response', (answer) => {
        isAnswered = true;
        heard(answer).then(resolve, reject);
      });
      // One that changes the protocol hangs up without an error.
      asking.once('close', () => {
        if (!isAnswered) reject(new Error('it hangs up'));
      });
      asking.end();
    });
  }
}

class Stale extends Error {}

/** All that it says: which of its headers a road's service gets is the gate's to say. */
async function heard(answer: IncomingMessage): Promise<HeardWord> {
  const { statusCode: status = 0, rawHeaders, headers } = answer;
  if (!areSound(rawHeaders)) throw new Error('its answer has headers that cannot be passed on');
  const told = Object.fromEntries(
    Object.entries(headers).flatMap(([name, value]) => (typeof value === 'string' ? [[name, value]] : [])),
  );
  const word: HeardWord = { status, location: headers.location, told, lines: rawHeaders, body: Buffer.alloc(0) };
  const chunks: Buffer[] = [];
  let size = 0;
  for await (const chunk of answer as AsyncIterable<Buffer>) {
    size += chunk.length;
    if (size > longestWordBytes) throw new Error('its answer is longer than a page');
    if (isForVisitor(word)) chunks.push(chunk);
  }
  return { ...word, body: Buffer.concat(chunks) };
}
