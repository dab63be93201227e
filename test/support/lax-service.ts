import net from 'node:net';
import { listening } from './ports.ts';

/** A service that answers whatever looks like a head, and keeps every byte of each connection. */
export interface LaxService {
  server: net.Server;
  heard: Array<() => string>;
}

export async function startLax(): Promise<LaxService> {
  const heard: LaxService['heard'] = [];
  const server = net.createServer((socket) => {
    let bytes = '';
    heard.push(() => bytes);
    socket.on('error', () => undefined);
    socket.on('data', (chunk: Buffer) => {
      const before = bytes.split(/\r?\n\r?\n/).length;
      bytes += chunk.toString('latin1');
      for (let heads = bytes.split(/\r?\n\r?\n/).length - before; heads > 0; heads -= 1)
        socket.write('HTTP/1.1 200 OK\r\nContent-Length: 2\r\n\r\nok');
    });
  });
  return { server: await listening(server, 0), heard };
}

/**
 * One way in which a service may read where a request ends, right or wrong.
 *
 * @property lineEnd what ends a line @property codes whether a header line says that chunks follow; null looks at no coding
 * @property lengths which of several lengths counts
 */
interface Reading {
  name: string;
  lineEnd: RegExp;
  codes: ((line: string) => boolean) | null;
  lengths: 'first' | 'last';
}

const strictCoding = (line: string): boolean => /^transfer-encoding:[ \t]*chunked[ \t]*$/i.test(line);
const laxCoding = (line: string): boolean => /^\s*transfer-encoding\s*:.*chunked/i.test(line);

export const readings: readonly Reading[] = [
  { name: 'strict', lineEnd: /\r\n/, codes: strictCoding, lengths: 'first' },
  { name: 'any coding that has the word', lineEnd: /\r\n/, codes: laxCoding, lengths: 'first' },
  { name: 'line ends alone', lineEnd: /\r?\n|\r(?!\n)/, codes: laxCoding, lengths: 'last' },
  { name: 'no coding', lineEnd: /\r?\n/, codes: null, lengths: 'first' },
  { name: 'no coding, the last length', lineEnd: /\r?\n/, codes: null, lengths: 'last' },
];

/** The targets of all requests that stand in these bytes, by one reading. */
export function targetsIn(bytes: string, reading: Reading): string[] {
  const targets: string[] = [];
  let rest = bytes;
  for (let count = 0; count < 50 && rest !== ''; count += 1) {
    const end = new RegExp(`(?:${reading.lineEnd.source})(?:${reading.lineEnd.source})`).exec(rest);
    if (end === null) break;
    const [line = '', ...headers] = rest.slice(0, end.index).split(reading.lineEnd);
    rest = rest.slice(end.index + end[0].length);
    targets.push(line.split(' ')[1] ?? '');
    if (reading.codes !== null && headers.some(reading.codes)) rest = behindChunks(rest, reading);
    else rest = rest.slice(lengthOf(headers, reading));
  }
  return targets;
}

function lengthOf(headers: readonly string[], { lengths }: Reading): number {
  const all = headers.flatMap((line) => /^\s*content-length\s*:\s*\+?(\d+)/i.exec(line)?.[1] ?? []);
  return Number((lengths === 'first' ? all[0] : all.at(-1)) ?? 0);
}

function behindChunks(text: string, { lineEnd }: Reading): string {
  let rest = text;
  for (let count = 0; count < 50; count += 1) {
    const size = new RegExp(`^([0-9a-fA-F]+)[^\\r\\n]*(?:${lineEnd.source})`).exec(rest);
    if (size === null) return rest;
    const length = parseInt(size[1] ?? '0', 16);
    rest = rest.slice(size[0].length + length).replace(new RegExp(`^(?:${lineEnd.source})`), '');
    if (length === 0) return rest;
  }
  return rest;
}
