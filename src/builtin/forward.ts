import http, { type ClientRequest, type IncomingMessage, type ServerResponse } from 'node:http';
import { Http2ServerResponse } from 'node:http2';
import https from 'node:https';
import type { Duplex } from 'node:stream';
import type { Plan } from '../core/plan/plan.ts';
import { longestAnswerHeadBytes } from '../core/front-limits.ts';
import { ownHeaders } from '../core/verdict/answer-rules.ts';
import { codeOf, reasonOf } from '../adapters/trouble.ts';
import { breakOff, sendAnswer, writeHead, type AnyResponse } from './answer.ts';
import { linesToService, linesToVisitor, type Forward } from './passing.ts';
import type { Patience } from './patience.ts';
import { hasBody, type AnyRequest } from './request.ts';
import { Silence, type Service, type Services, type Waiting } from './services.ts';
import { passUpload, TooLong } from './upload.ts';

export interface ForwardContext {
  limits: Plan['limits'];
  patience: Patience;
  services: Services;
  /** Told when a service cannot be reached, in words for the administrator, never for the visitor. */
  /** What is shown when a service cannot be reached; plain words without it. */
  downPage: string | undefined;
  onTrouble: (message: string) => void;
}

/** What a live connection begins with once its service has agreed. */
interface LiveStart {
  lines: string[];
  service: Duplex;
  /** What the service has sent already. */
  head: Buffer;
}

export type OnLive = (start: LiveStart) => void;

/** Passes a request to its service and the answer back, both as they come. 502 when it refuses, 504 when it is silent. */
export function forward(request: AnyRequest, response: AnyResponse, to: Forward, context: ForwardContext): void {
  new Passage({ request, response, to, context, onLive: null }).begin();
}

/** The same for a request that asks for a WebSocket (RFC 6455 §4). */
export function forwardLive(
  request: AnyRequest,
  response: AnyResponse,
  to: Forward,
  { onLive, ...context }: ForwardContext & { onLive: OnLive },
): void {
  new Passage({ request, response, to, context, onLive }).begin();
}

/** RFC 9110 §9.2.2. Only these may be sent a second time, and only without a body, which is gone once it is sent. */
const repeatable: ReadonlySet<string> = new Set(['GET', 'HEAD', 'OPTIONS', 'PUT', 'DELETE']);

interface Way {
  request: AnyRequest;
  response: AnyResponse;
  to: Forward;
  context: ForwardContext;
  onLive: OnLive | null;
}

/** One request on its way to a service and back. */
class Passage implements Waiting {
  expires = 0;
  private outgoing: ClientRequest | null = null;
  private incoming: IncomingMessage | null = null;
  /** Something of the body has gone out. */
  private isSent = false;
  private isSecond = false;
  private isLeft = false;
  private readonly isBodied: boolean;
  private readonly isRepeatable: boolean;
  private readonly service: Service;
  private readonly lines: string[];

  constructor(private readonly way: Way) {
    const { request, response, to, context, onLive } = way;
    this.isBodied = hasBody(request);
    this.isRepeatable = onLive === null && !this.isBodied && repeatable.has(request.method ?? '');
    this.service = context.services.of(to.upstream);
    this.lines = linesToService(request.rawHeaders, to);
    if (this.isBodied && request.headers['content-length'] === undefined)
      this.lines.push('Transfer-Encoding', 'chunked');
    if (onLive !== null) this.lines.push('Connection', 'Upgrade', 'Upgrade', 'websocket');
    context.services.watch(this);
    response.on('close', () => this.leave());
  }

  begin(): void {
    const { request, context } = this.way;
    const { services } = context;
    this.moved();
    const outgoing = this.open();
    this.outgoing = outgoing;
    let before = 0;
    outgoing.on('socket', ({ bytesRead }) => (before = bytesRead));
    outgoing.on('response', (incoming) => this.safely(() => this.answer(incoming)));
    outgoing.on('upgrade', (incoming: IncomingMessage, service: Duplex, head: Buffer) =>
      this.safely(() => this.goLive(incoming, service, head)),
    );
    outgoing.on('error', (error: Error) => {
      // What a service says beyond its answer ends the connection to it, and takes nothing from the visitor (RFC 9112 §6.3).
      if (this.incoming?.complete === true) return;
      const isStale = outgoing.reusedSocket && (outgoing.socket?.bytesRead ?? before) === before;
      this.fail(error, isStale && this.isRepeatable);
    });
    if (this.isBodied)
      passUpload(request, outgoing, {
        services,
        stillMs: context.patience.bodyMs,
        most: this.way.to.bodyLimitBytes,
        moved: () => this.moved(),
      });
    else outgoing.end();
  }

  /** Nothing has come for too long. */
  expire(): void {
    this.outgoing?.destroy(new Silence('no answer in time'));
    if (this.incoming !== null) this.fail(new Silence('no more of its answer in time'), false);
  }

  private open(): ClientRequest {
    const { request, to } = this.way;
    const { method = '' } = request;
    // Node would invent a chunked body. What came without one goes on without one, and says a length only where the visitor did.
    const isBare = !this.isBodied && bringsBody.has(method);
    const options = {
      host: to.upstream.host,
      port: to.upstream.port,
      method,
      path: to.target,
      headers: isBare ? undefined : this.lines,
      setHost: false,
      maxHeaderSize: longestAnswerHeadBytes,
      agent: this.agent(),
    };
    const outgoing = to.upstream.scheme === 'https' ? https.request(options) : http.request(options);
    if (!isBare) return outgoing;
    outgoing.useChunkedEncodingByDefault = false;
    for (let at = 0; at + 1 < this.lines.length; at += 2)
      outgoing.appendHeader(this.lines[at] ?? '', this.lines[at + 1] ?? '');
    return outgoing;
  }

  private agent(): http.Agent {
    const { kept, brief, fresh } = this.service;
    if (this.way.onLive !== null || this.isSecond) return fresh;
    return this.isRepeatable ? kept : brief;
  }

  private answer(incoming: IncomingMessage): void {
    const { response, to, onLive } = this.way;
    this.incoming = incoming;
    this.moved();
    const { statusCode = 0, statusMessage = '' } = incoming;
    const all = linesToVisitor(incoming.rawHeaders, to.answer);
    // RFC 9110 §8.6: an answer without content has no length.
    const lines = statusCode === 204 ? without('content-length', all) : all;
    // HTTP/2 knows no others (RFC 9113 §8.3.2, RFC 9110 §15).
    const isTwo = response instanceof Http2ServerResponse;
    if (statusCode < 200 || statusCode > 599 || (isTwo && !areSound(lines)))
      throw new Error('its answer has headers that cannot be passed on');
    response.sendDate = false;
    if (onLive !== null) lines.push('Connection', 'close');
    writeHead(response, statusCode, lines, usualReason(statusCode, statusMessage));
    incoming.on('data', (chunk: Buffer) => this.pass(chunk, incoming));
    incoming.on('end', () => this.finish());
    incoming.on('close', () => {
      // A service that breaks off must not look finished.
      if (!incoming.complete) breakOff(response);
    });
    incoming.on('error', () => breakOff(response));
    // Where the body is here already, it goes out with the head.
    if ('flushHeaders' in response)
      process.nextTick(() => {
        if (!this.isSent && !this.isLeft) response.flushHeaders();
      });
  }

  private pass(chunk: Buffer, incoming: IncomingMessage): void {
    const { response } = this.way;
    this.isSent = true;
    this.moved();
    // Node gives both the same method; their types differ in what else they take.
    if ((response as ServerResponse).write(chunk)) return;
    incoming.pause();
    response.once('drain', () => {
      this.moved();
      incoming.resume();
    });
  }

  private finish(): void {
    this.isSent = true;
    this.way.context.services.unwatch(this);
    this.way.response.end();
  }

  private goLive(incoming: IncomingMessage, service: Duplex, head: Buffer): void {
    const { onLive, to, context } = this.way;
    const { upgrade = '' } = incoming.headers;
    if (onLive === null || upgrade.toLowerCase() !== 'websocket') {
      service.destroy();
      this.fail(new Error('it changes to a protocol that was not asked for'), false);
      return;
    }
    context.services.unwatch(this);
    const lines = linesToVisitor(incoming.rawHeaders, to.answer);
    if (!areSound(lines)) throw new Error('its answer has headers that cannot be passed on');
    onLive({ lines, service, head });
  }

  /** @param again it broke before anything came, on a connection that was kept, and may be sent a second time */
  private fail(error: Error, again: boolean): void {
    const { response, to, context } = this.way;
    if (this.isLeft || response.writableEnded) return;
    if (response.headersSent) breakOff(response);
    else if (error instanceof TooLong) sendAnswer(response, 413, ownHeaders(to.answer, { connection: 'close' }));
    else if (again && !this.isSecond) {
      this.isSecond = true;
      this.begin();
    } else {
      context.onTrouble(`${to.headers['host'] ?? ''}: ${describe(to)}: ${reasonOf(error)}`);
      sendAnswer(response, statusOf(error), ownHeaders(to.answer, {}), { page: context.downPage });
    }
  }

  /** What a service brings about happens outside any request's own code: an error there would end the whole front. */
  private safely(work: () => void): void {
    try {
      work();
    } catch (error) {
      this.outgoing?.destroy();
      this.fail(error as Error, false);
    }
  }

  private moved(): void {
    const { to, context } = this.way;
    // A pause in the middle of an answer may be what the service is about, or the visitor's, as players make them.
    const { liveSeconds } = context.limits;
    const seconds = this.incoming === null ? to.silenceSeconds : Math.max(liveSeconds, to.silenceSeconds);
    this.expires = context.services.now + seconds * 1000;
  }

  /** Nobody waits for the answer any more. */
  private leave(): void {
    this.isLeft = true;
    this.way.context.services.unwatch(this);
    if (this.incoming?.complete !== true) this.outgoing?.destroy();
  }
}

/** Where Node expects a body. */
const bringsBody: ReadonlySet<string> = new Set(['POST', 'PUT', 'PATCH']);

function without(name: string, lines: readonly string[]): string[] {
  return lines.filter((_, index) => (lines[index - (index % 2)] ?? '').toLowerCase() !== name);
}

/** What a service calls its status, where it may be passed on. */
function usualReason(status: number, said: string): string | undefined {
  return said === http.STATUS_CODES[status] || !soundText.test(said) ? undefined : said;
}

const soundText = /^[\t\u0020-\u007e\u0080-\u00ff]*$/;
/** RFC 9110 §5.6.2. */
const token = /^[!#$%&'*+.^_`|~0-9A-Za-z-]+$/;

/** Node's parser takes bytes that its writer refuses, which over HTTP/2 leaves those before them in the response. */
export function areSound(lines: readonly string[]): boolean {
  return lines.every((text, index) => (index % 2 === 0 ? token : soundText).test(text));
}

function statusOf(error: unknown): 502 | 504 {
  return error instanceof Silence || codeOf(error) === 'ETIMEDOUT' ? 504 : 502;
}

function describe({ upstream }: Forward): string {
  return `${upstream.scheme}://${upstream.host}:${String(upstream.port)}`;
}
