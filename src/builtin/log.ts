import { appendFile } from 'node:fs/promises';
import { headerLines, type AnyRequest } from './request.ts';
import type { AnyResponse } from './answer.ts';
import { credentialsOf } from './people.ts';

/**
 * Writes one line a request in the combined log format (the one that web servers share), each
 * appended by itself, so that a file that is moved away is begun anew. Lines keep their order.
 */
export class AccessLog {
  private last: Promise<void> = Promise.resolve();

  constructor(private readonly onTrouble: (message: string) => void) {}

  /** Notes a request when its answer has gone. @param client the visitor's own address @param now when it came */
  note(file: string, { request, response, client, now }: Logged): void {
    const sent = countBytes(response);
    response.once('close', () => {
      const line = `${combined({ request, response, client, now, bytes: sent() })}\n`;
      this.last = this.last
        .then(() => appendFile(file, line, { mode: 0o640 }))
        .catch((error: unknown) => this.onTrouble(`cannot write to ${file}: ${String(error)}`));
    });
  }

  /** Waits until every line is written. */
  async stop(): Promise<void> {
    await this.last;
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

interface Logged {
  request: AnyRequest;
  response: AnyResponse;
  client: string;
  now: Date;
}

/** @param bytes of the body, which an answer to HEAD does not have */
function combined({ request, response, client, now, bytes }: Logged & { bytes: number }): string {
  const header = (name: string): string =>
    escaped(headerLines(request.rawHeaders).find(([key]) => key.toLowerCase() === name)?.[1] ?? '-');
  const authorization = headerLines(request.rawHeaders).find(([key]) => key.toLowerCase() === 'authorization')?.[1];
  const user = escaped(credentialsOf(authorization ?? '')?.name ?? '-');
  const line = escaped(`${request.method ?? ''} ${request.url ?? ''} HTTP/${request.httpVersion}`);
  const length = request.method === 'HEAD' ? 0 : bytes;
  return `${client} - ${user === '' ? '-' : user} [${stamp(now)}] "${line}" ${String(response.statusCode)} ${String(length)} "${header('referer')}" "${header('user-agent')}"`;
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
