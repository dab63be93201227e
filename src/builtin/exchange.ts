import http, { type IncomingMessage, type ServerResponse } from 'node:http';
import { Http2ServerResponse } from 'node:http2';
import type { Socket } from 'node:net';
import type { Duplex } from 'node:stream';
import type { PlannedRoad } from '../core/plan/plan.ts';
import { countedOf } from '../core/verdict/client.ts';
import { authorityOn } from '../core/verdict/forwarded.ts';
import type { Prepared, Verdict } from '../core/verdict/verdict.ts';
import { codeOf } from '../adapters/trouble.ts';
import { sendAnswer, writeHead, type AnyResponse } from './answer.ts';
import { Asker } from './asker.ts';
import { pendingChallenge } from './challenge.ts';
import { showFile } from './folder.ts';
import { forward, forwardLive, type ForwardContext, type OnLive } from './forward.ts';
import { Judge, type Read } from './judge.ts';
import { AccessLog } from './log.ts';
import { linesToVisitor } from './passing.ts';
import { hasBody, type AnyRequest } from './request.ts';
import { Services } from './services.ts';
import type { Visitor, Visitors } from './visitors.ts';

interface Asked {
  request: AnyRequest;
  response: AnyResponse;
  visitor: Visitor;
}

interface AskedLive {
  request: IncomingMessage;
  socket: Duplex;
  head: Buffer;
  visitor: Visitor;
}

interface Unread {
  error: Error;
  socket: Duplex;
  visitor: Visitor;
}

/** What was asked, its verdict, and the verdict carried out. */
export class Exchange {
  private readonly judge: Judge;
  private readonly log: AccessLog;
  private readonly context: ForwardContext;
  /** Live connections: Node's servers no longer know of them. */
  private readonly live = new Set<Duplex>();

  constructor(
    private readonly prepared: Prepared,
    private readonly visitors: Visitors,
    { onTrouble, patience }: Pick<ForwardContext, 'onTrouble' | 'patience'>,
  ) {
    const { limits, pages } = prepared.plan;
    const services = new Services(limits.connectSeconds);
    this.judge = new Judge(prepared, new Asker(services, onTrouble), onTrouble);
    this.log = new AccessLog(onTrouble);
    this.context = { limits, patience, services, downPage: pages.down, onTrouble };
  }

  serve({ request, response, visitor }: Asked): void | Promise<void> {
    this.visitors.begin(visitor);
    response.once('close', () => this.visitors.end(visitor));
    if (hasBody(request)) linger({ request, response, visitor }, this.context.patience.lingerMs);
    const read = this.judge.read(request, visitor);
    const { road, target, client, host } = read;
    if (typeof road?.rules.log === 'string')
      this.log.note(road.rules.log, { request, response, client: countedOf(client), now: new Date() });
    const challenge = pendingChallenge(this.prepared.plan, host, target);
    const verdict = this.judge.decide(read, challenge, request);
    const carryOut = (decided: Verdict): void | Promise<void> =>
      this.carryOut({ request, response, visitor }, read, decided);
    return verdict instanceof Promise ? verdict.then(carryOut) : carryOut(verdict);
  }

  /** A WebSocket for a service is passed on; what else ends HTTP on its connection, a tunnel and a WebSocket that may not be, is refused. */
  async upgrade({ request, socket, head, visitor }: AskedLive): Promise<void> {
    socket.on('error', () => socket.destroy());
    this.visitors.begin(visitor);
    socket.once('close', () => {
      this.live.delete(socket);
      this.visitors.end(visitor);
    });
    // Requests before it on the same connection have their answers first.
    await new Promise<void>((resolve) => visitor.whenBusyWith(1, resolve));
    const read = this.judge.read(request, visitor);
    const verdict = await this.judge.decide(read, null, request);
    if (socket.destroyed) return;
    const { road, client } = read;
    const response = responseOn(request, socket);
    response.once('finish', () => socket.end());
    if (verdict.act === 'forward') {
      visitor.patienceMs = Math.max(visitor.patienceMs, verdict.silenceSeconds * 1000);
      const onLive = this.goLive({ request, response, socket, head, road, client: countedOf(client) });
      forwardLive(request, response, verdict, { ...this.context, onLive });
    }
    if (verdict.act === 'answer')
      sendAnswer(response, verdict.status, { ...verdict.headers, connection: 'close' }, this.ownOf(verdict));
    else if (verdict.act === 'folder') await showFile(request, response, verdict, this.originOf(read));
    else if (verdict.act === 'relay') this.relay(response, verdict, { connection: 'close' });
    else if (verdict.act !== 'forward') socket.destroy();
  }

  /** What the parser of HTTP/1 does not take: the head too long or too slow, or no HTTP. */
  refuse({ error, socket, visitor }: Unread): void {
    if (!socket.writable || codeOf(error) === 'ECONNRESET') {
      socket.destroy();
      return;
    }
    const status = statusOf(error);
    // In the middle of an upload its own answer may have begun; a request before it has its answer first.
    visitor.whenBusyWith(0, () => {
      if (socket.writable)
        socket.end(
          `HTTP/1.1 ${String(status)} ${http.STATUS_CODES[status] ?? ''}\r\nConnection: close\r\nContent-Length: 0\r\n\r\n`,
        );
      setTimeout(() => socket.destroy(), 1000).unref();
    });
    const road = visitor.sni === null ? null : this.prepared.roadOf(this.prepared.shownTo(visitor.sni).name);
    if (typeof road?.rules.log === 'string')
      this.log.noteUnread(road.rules.log, { client: visitor.peer, now: new Date(), status });
  }

  /** No new request comes here any more. @returns whether live connections still do */
  async retire(): Promise<boolean> {
    await this.judge.stop();
    return this.live.size > 0;
  }

  /** Live connections are asked to end. */
  endLive(): void {
    for (const socket of this.live) socket.end();
  }

  async stop(): Promise<void> {
    await this.judge.stop();
    for (const socket of this.live) socket.destroy();
    this.context.services.stop();
    await this.log.stop();
  }

  private carryOut({ request, response }: Asked, read: Read, verdict: Verdict): void | Promise<void> {
    if (response.destroyed) return;
    switch (verdict.act) {
      case 'forward':
        if (asksToGoOn(request)) response.writeContinue();
        forward(request, response, verdict, this.context);
        return;
      case 'answer':
        sendAnswer(response, verdict.status, { ...verdict.headers, ...endOf(request) }, this.ownOf(verdict));
        return;
      case 'folder':
        if (asksToGoOn(request)) response.writeContinue();
        return showFile(request, response, verdict, this.originOf(read));
      case 'relay':
        this.relay(response, verdict, endOf(request));
        return;
      // A question is never left open.
      case 'ask':
      case 'close':
      case 'no-handshake':
        request.socket.destroy();
    }
  }

  /** What a service said that a gate asked, with the road's own headers as on every answer. */
  private relay(response: AnyResponse, verdict: Extract<Verdict, { act: 'relay' }>, own: Record<string, string>): void {
    const heard = this.judge.heardFor(verdict);
    if (heard === undefined || response.headersSent) {
      response.destroy();
      return;
    }
    const lines = linesToVisitor(heard.lines, verdict.answer).filter(isNoLength);
    writeHead(response, verdict.status, [
      ...lines,
      ...Object.entries(own).flat(),
      ...['content-length', String(heard.body.length)],
    ]);
    response.end(heard.body);
  }

  private goLive({ request, response, socket, head, road, client }: Going): OnLive {
    return ({ lines, service, head: first }) => {
      this.live.add(socket);
      let text = 'HTTP/1.1 101 Switching Protocols\r\n';
      for (let at = 0; at + 1 < lines.length; at += 2) text += `${lines[at] ?? ''}: ${lines[at + 1] ?? ''}\r\n`;
      socket.write(`${text}Connection: Upgrade\r\nUpgrade: websocket\r\n\r\n`, 'latin1');
      response.detachSocket(socket as Socket);
      if (first.length > 0) service.unshift(first);
      if (head.length > 0) service.write(head);
      // A service that is silent for too long ends with its visitor, on whose side nothing moves either.
      socket.pipe(service);
      service.pipe(socket);
      service.once('close', () => {
        if (!service.readableEnded) socket.destroy();
      });
      socket.once('close', () => service.destroy());
      // After the pipe: whoever listens first has the bytes flow.
      const file = road?.rules.log;
      if (typeof file === 'string') this.log.noteLive(file, { request, service, client, now: new Date(), socket });
    };
  }

  /** What an answer of the front's own says. */
  private ownOf({ page, ...own }: Extract<Verdict, { act: 'answer' }>): Parameters<typeof sendAnswer>[3] {
    return { ...own, page: page === undefined ? undefined : this.prepared.plan.pages[page] };
  }

  /** Scheme, name and port as the visitor sees them. */
  private originOf({ request: { listener }, road }: Read): string {
    return road === null ? '' : `${listener}://${authorityOn(road, listener, this.prepared.plan.front.ports)}`;
  }
}

interface Going extends Omit<AskedLive, 'visitor'> {
  response: ServerResponse;
  road: PlannedRoad | null;
  client: string;
}

function asksToGoOn({ headers }: AnyRequest): boolean {
  return headers.expect !== undefined && /100-continue/i.test(headers.expect);
}

/** Whether a body follows that nobody asked to go on with cannot be known, so the connection ends with the refusal. */
function endOf(request: AnyRequest): Record<string, string> {
  return asksToGoOn(request) && request.httpVersionMajor === 1 ? { connection: 'close' } : {};
}

/** The rest of an upload that has its answer already is read for a while, then it ends. */
function linger({ request, response, visitor }: Asked, lingerMs: number): void {
  const end = response instanceof Http2ServerResponse ? response.stream : response;
  end.once('finish', () => {
    if (request.readableEnded) return;
    request.resume();
    const late = setTimeout(() => {
      if (response instanceof Http2ServerResponse) response.stream.close();
      else visitor.leave();
    }, lingerMs).unref();
    for (const event of ['end', 'close']) request.once(event, () => clearTimeout(late));
  });
}

function responseOn(request: IncomingMessage, socket: Duplex): ServerResponse {
  const response = new http.ServerResponse(request);
  response.shouldKeepAlive = false;
  // Node's own server does the same; its type asks for a Socket where any duplex stream serves.
  response.assignSocket(socket as Socket);
  return response;
}

/** RFC 6585 §5, RFC 9110 §15.5.9. */
function statusOf(error: Error): 400 | 408 | 431 {
  const code = codeOf(error);
  if (code === 'HPE_HEADER_OVERFLOW') return 431;
  return code === 'ERR_HTTP_REQUEST_TIMEOUT' ? 408 : 400;
}

/** The length is said once, of what really goes out. */
function isNoLength(_: string, index: number, lines: readonly string[]): boolean {
  return (lines[index - (index % 2)] ?? '').toLowerCase() !== 'content-length';
}
