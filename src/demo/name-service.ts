import { timingSafeEqual } from 'node:crypto';
import http, { type IncomingMessage, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';

interface NameServiceInput {
  /** One address for each name; what is told is put in here. */
  records: Map<string, string>;
  /** May tell the address of one name. */
  dynamic: { name: string; user: string; password: string };
  /** May change the records of one zone. */
  token: { zone: string; secret: string };
}

/** @property url without a path @property asked what came, a line for each @property block answers `abuse` from now on, as to somebody who asked too often */
export interface NameService {
  url: string;
  asked: string[];
  block: () => void;
  stop: () => Promise<void>;
}

/**
 * A stand-in for those who keep zones and take no signed updates: dynamic names (`GET /update?hostname=NAME&myip=ADDRESS`), and records by a token that
 * may do one zone (`POST` and `DELETE /zones/ZONE/records` with name, type and data in a form). On loopback.
 */
export async function startNameService(input: NameServiceInput): Promise<NameService> {
  const asked: string[] = [];
  let blocked = false;
  const server = http.createServer((request, response) => {
    const url = new URL(request.url ?? '/', 'http://names.example');
    asked.push(`${request.method ?? ''} ${url.pathname}${url.search}`);
    if (url.pathname === '/update') answerUpdate({ request, response, query: url.searchParams, blocked }, input);
    else void answerToken({ request, response, path: url.pathname }, input);
  });
  await new Promise<void>((resolve, reject) => {
    server.once('error', reject);
    server.listen(0, '127.0.0.1', resolve);
  });
  return {
    url: `http://127.0.0.1:${String((server.address() as AddressInfo).port)}`,
    asked,
    block: () => (blocked = true),
    stop: () =>
      new Promise((resolve) => {
        server.close(() => resolve());
        server.closeAllConnections();
      }),
  };
}

interface Update {
  request: IncomingMessage;
  response: ServerResponse;
  query: URLSearchParams;
  blocked: boolean;
}

function answerUpdate({ request, response, query, blocked }: Update, { records, dynamic }: NameServiceInput): void {
  const proof = Buffer.from(`${dynamic.user}:${dynamic.password}`).toString('base64');
  if (!isSecret(request.headers.authorization, `Basic ${proof}`)) return void response.writeHead(401).end('badauth\n');
  if (blocked) return void response.end('abuse\n');
  const [name, address] = [query.get('hostname') ?? '', query.get('myip') ?? ''];
  if (name !== dynamic.name) return void response.end('nohost\n');
  const had = records.get(name);
  records.set(name, address);
  response.end(`${had === address ? 'nochg' : 'good'} ${address}\n`);
}

async function answerToken(
  { request, response, path }: { request: IncomingMessage; response: ServerResponse; path: string },
  { records, token }: NameServiceInput,
): Promise<void> {
  let text = '';
  for await (const chunk of request as AsyncIterable<Buffer>) text += chunk.toString('utf8');
  const form = new URLSearchParams(text);
  const [name, type, data] = ['name', 'type', 'data'].map((key) => form.get(key) ?? '');
  if (!isSecret(request.headers.authorization, `Bearer ${token.secret}`))
    response.writeHead(401).end('unknown token\n');
  else if (path !== `/zones/${token.zone}/records`) response.writeHead(403).end('not a zone of this token\n');
  else if (name === undefined || type !== 'A' || data === undefined) response.writeHead(400).end('only A records\n');
  else if (request.method === 'POST') {
    records.set(name, data);
    response.writeHead(201).end();
  } else {
    if (records.get(name) === data) records.delete(name);
    response.writeHead(204).end();
  }
}

function isSecret(given: string | undefined, wanted: string): boolean {
  const [one, other] = [Buffer.from(given ?? ''), Buffer.from(wanted)];
  return one.length === other.length && timingSafeEqual(one, other);
}
