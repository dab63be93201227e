import http, { type IncomingMessage, type RequestListener, type ServerResponse } from 'node:http';
import type { Condition, Does } from './row.ts';

/** What the words of a row stand for in one installation. */
export interface TestBed {
  name: string;
  http: number;
  https: number;
  service: number;
  tides: number;
}

/** Turns a row's words into what a server does. */
export function handlerOf(does: Does, bed: TestBed): RequestListener {
  return (request, response) => act(does, bed, request, response);
}

function act(does: Does, bed: TestBed, request: IncomingMessage, response: ServerResponse): void {
  if (does === 'page') page('Nest camera', request, response);
  else if (does === 'passes') pass(bed.service, request, response);
  else if (does === 'hangs') request.resume();
  else if (does === 'closes') request.socket.destroy();
  else if (does === 'garbles') response.writeHead(200, { 'content-encoding': 'gzip' }).end('this is not gzip');
  else if (does === 'streams') stream(response);
  else if (does === 'events') events(response);
  else if (does === 'hints')
    response.writeEarlyHints({ link: '</style.css>; rel=preload' }, () => page('Nest camera', request, response));
  else if ('passesTo' in does) pass(bed.tides, request, response);
  else if ('frontError' in does) frontError(does.frontError, response);
  else if ('cutsAfter' in does) {
    response.writeHead(200, { 'content-type': 'text/html', 'content-length': '100000' });
    response.write(does.cutsAfter, () => setTimeout(() => request.socket.destroy(), 20));
  } else if ('slowly' in does) setTimeout(() => act(does.then, bed, request, response), does.slowly);
  else if ('turns' in does) act(inTurnOf(does), bed, request, response);
  else if ('when' in does) act(holds(does.when, bed, request) ? does.then : does.otherwise, bed, request, response);
  else {
    const filled = Object.entries(does.headers ?? {}).map(([name, value]) => [
      name,
      Array.isArray(value) ? value.map((one) => fill(one, bed, request)) : fill(String(value), bed, request),
    ]);
    response.writeHead(does.answers, Object.fromEntries(filled) as http.OutgoingHttpHeaders);
    response.end(fill(does.body ?? '', bed, request));
  }
}

const counts = new WeakMap<object, number>();

/** Another one at each request, round and round. */
function inTurnOf(does: { turns: Does[] }): Does {
  const count = counts.get(does) ?? 0;
  counts.set(does, count + 1);
  return does.turns[count % does.turns.length] ?? 'page';
}

function holds({ has, publicName, method, target }: Condition, { name }: TestBed, request: IncomingMessage): boolean {
  const host = (request.headers.host ?? '').split(':')[0] ?? '';
  return (
    (has === undefined || new RegExp(has[1]).test(String(request.headers[has[0]] ?? ''))) &&
    (publicName === undefined || (host === name) === publicName) &&
    (method === undefined || new RegExp(`^(${method})$`).test(request.method ?? '')) &&
    (target === undefined || new RegExp(target).test(request.url ?? ''))
  );
}

function fill(text: string, { name, http: plain, https, service }: TestBed, request: IncomingMessage): string {
  const target = request.url ?? '/';
  const host = (request.headers.host ?? name).split(':')[0] ?? name;
  const words: Record<string, string> = {
    name: host,
    http: String(plain),
    https: String(https),
    service: String(service),
    target,
    path: target.split('?')[0] ?? '/',
    forwarded: String(request.headers['x-forwarded-for'] ?? 'nobody'),
    time: String(process.hrtime.bigint()),
  };
  return text.replace(/\{(\w+)\}/g, (whole, key: string) => words[key] ?? whole);
}

/** A page that says whose it is, with the time in it as many have it. */
export function page(title: string, request: IncomingMessage, response: ServerResponse): void {
  const items = Array.from({ length: 12 }, (_, index) => `<li>${title} entry ${String(index)}`).join('');
  response.writeHead(200, { 'content-type': 'text/html' });
  const head = request.method === 'HEAD';
  response.end(
    head ? '' : `<html><title>${title}</title><p>at ${String(process.hrtime.bigint())}</p><ul>${items}</ul></html>`,
  );
}

/** Picture after picture, as cameras do it. */
function stream(response: ServerResponse): void {
  response.writeHead(200, { 'content-type': 'multipart/x-mixed-replace; boundary=frame' });
  const more = (): void => void response.write(`--frame\r\ncontent-type: text/plain\r\n\r\n${'bird '.repeat(40)}\r\n`);
  const timer = setInterval(more, 50);
  response.once('close', () => clearInterval(timer));
}

/** A word now and then, as live views get them. */
function events(response: ServerResponse): void {
  response.writeHead(200, { 'content-type': 'text/event-stream', 'cache-control': 'no-store' });
  const more = (): void => void response.write('data: tern\n\n');
  more();
  const timer = setInterval(more, 300);
  response.once('close', () => clearInterval(timer));
}

/** As a sound front does it. */
function pass(port: number, request: IncomingMessage, response: ServerResponse): void {
  const plain = Object.entries(request.headers).filter(([name]) => !name.startsWith(':'));
  const host = request.headers.host ?? String(request.headers[':authority']);
  const headers = { ...Object.fromEntries(plain), host, 'x-forwarded-for': '127.0.0.1', 'x-forwarded-proto': 'https' };
  const { method, url: path } = request;
  const outgoing = http.request({ host: '127.0.0.1', port, method, path, headers, agent: false }, (incoming) => {
    response.writeHead(incoming.statusCode ?? 0, ofTheMessage(incoming.rawHeaders));
    incoming.on('error', () => request.socket.destroy()).pipe(response);
  });
  outgoing.on('error', () => frontError(502, response));
  request.pipe(outgoing);
}

/** Without what is about the connection alone (RFC 9110 §7.6.1). */
function ofTheMessage(raw: readonly string[]): string[] {
  return raw.filter((_, at) => !/^(connection|keep-alive|transfer-encoding)$/i.test(raw[at - (at % 2)] ?? ''));
}

/** The page that nginx makes of an error. */
function frontError(status: number, response: ServerResponse): void {
  const reason = `${String(status)} ${http.STATUS_CODES[status] ?? ''}`;
  const asks = status === 401 ? { 'www-authenticate': 'Basic realm="wardens"' } : {};
  response.writeHead(status, { server: 'nginx', 'content-type': 'text/html', ...asks });
  response.end(
    `<html>\r\n<head><title>${reason}</title></head>\r\n<body>\r\n<center><h1>${reason}</h1></center>\r\n<hr><center>nginx</center>\r\n</body>\r\n</html>\r\n`,
  );
}
