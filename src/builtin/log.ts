import { appendFile } from 'node:fs/promises';
import type { IncomingMessage } from 'node:http';
import type { Duplex } from 'node:stream';
import type { AnyResponse } from './answer.ts';
import { credentialsOf } from './people.ts';
import { firstLine, type AnyRequest } from './request.ts';

interface Who {
  /** The visitor's own address. */
  client: string;
  /** When the request came. */
  now: Date;
}

/**
 * Writes one line a request in the combined log format (the one that web servers share), each
 * appended by itself, so that a file that is moved away is begun anew. Lines keep their order.
 */
export class AccessLog {
  private last: Promise<void> = Promise.resolve();

  constructor(private readonly onTrouble: (message: string) => void) {}

  /** Notes a request when its answer has gone. */
  note(file: string, { request, response, client, now }: Who & { request: AnyRequest; response: AnyResponse }): void {
    const sent = countBytes(response);
    response.once('close', () => {
      // Of an answer to HEAD no body goes out.
      const bytes = request.method === 'HEAD' ? 0 : sent();
      this.append(file, lineOf({ client, now, status: response.statusCode, bytes, ...saidBy(request) }));
    });
  }

  /** Notes a live connection when it has ended, with the bytes that its service sent over it. */
  noteLive(
    file: string,
    { request, service, socket, client, now }: Who & { request: IncomingMessage; service: Duplex; socket: Duplex },
  ): void {
    let bytes = 0;
    service.on('data', (chunk: Buffer) => (bytes += chunk.length));
    socket.once('close', () => this.append(file, lineOf({ client, now, status: 101, bytes, ...saidBy(request) })));
  }

  /** Notes what could not be read as a request. */
  noteUnread(file: string, { client, now, status }: Who & { status: number }): void {
    this.append(file, lineOf({ client, now, status, bytes: 0, asked: '-', person: '-', referer: '-', agent: '-' }));
  }

  /** Waits until every line is written. */
  async stop(): Promise<void> {
    await this.last;
  }

  private append(file: string, line: string): void {
    this.last = this.last
      .then(() => appendFile(file, `${line}\n`, { mode: 0o640 }))
      .catch((error: unknown) => this.onTrouble(`cannot write to ${file}: ${String(error)}`));
  }
}

/** Counts what is written as the body; for HTTP/2 `end` writes by `write`. */
function countBytes(response: AnyResponse): () => number {
  let bytes = 0;
  for (const name of ['write', 'end'] as const) {
    const own = Reflect.get(response, name) as (...given: unknown[]) => unknown;
    Reflect.set(response, name, (...given: unknown[]): unknown => {
      const [chunk] = given;
      const before = bytes;
      const result = own.apply(response, given);
      if (bytes === before && (typeof chunk === 'string' || chunk instanceof Uint8Array))
        bytes += Buffer.byteLength(chunk);
      return result;
    });
  }
  return () => bytes;
}

interface Said {
  asked: string;
  person: string;
  referer: string;
  agent: string;
}

function saidBy(request: AnyRequest): Said {
  const { rawHeaders, method = '', url = '', httpVersion } = request;
  const name = credentialsOf(firstLine(rawHeaders, 'authorization') ?? '')?.name ?? '';
  return {
    asked: escaped(`${method} ${url} HTTP/${httpVersion}`),
    // A blank would shift every field behind it.
    person: name === '' ? '-' : escaped(name).replace(/ /g, '\\x20'),
    referer: escaped(firstLine(rawHeaders, 'referer') ?? '-'),
    agent: escaped(firstLine(rawHeaders, 'user-agent') ?? '-'),
  };
}

function lineOf({ client, now, status, bytes, asked, person, referer, agent }: Who & Said & Outcome): string {
  return `${client} - ${person} [${stamp(now)}] "${asked}" ${String(status)} ${String(bytes)} "${referer}" "${agent}"`;
}

/** @property bytes of the body */
interface Outcome {
  status: number;
  bytes: number;
}

/** As the format has it: 23/Nov/2026:16:05:00 +0000. */
function stamp(now: Date): string {
  const [, day = '', month = '', year = '', time = ''] =
    /^\w+, (\d+) (\w+) (\d+) ([\d:]+)/.exec(now.toUTCString()) ?? [];
  return `${day}/${month}/${year}:${time} +0000`;
}

/** What would end a field or a line stands as its code, so that a visitor writes no line of his own. */
function escaped(text: string): string {
  return [...Buffer.from(text, 'latin1')]
    .map((byte) =>
      byte < 0x20 || byte > 0x7e || byte === 0x22 || byte === 0x5c
        ? `\\x${byte.toString(16).toUpperCase().padStart(2, '0')}`
        : String.fromCharCode(byte),
    )
    .join('');
}
