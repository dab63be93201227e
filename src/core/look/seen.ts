import type { Failure } from '../legs/answer.ts';
import { lookFormat } from './script.ts';

/** What came of one question. @property exit curl's own code (curl(1), EXIT CODES) @property bytes in hex */
export interface SeenAnswer {
  family: 4 | 6;
  scheme: 'http' | 'https';
  name: string;
  port: number;
  target: string;
  from: string;
  to: string;
  connected: boolean;
  exit: number;
  error: string;
  bytes: string;
}

/** What `openssl s_client` said. @property old protocol and suite of a handshake with TLS 1.1 at most; empty when there was none
 * @property weak the same of one with TLS 1.2 and weak suites alone
 * @property two curl's exit code and the version of HTTP that it spoke when HTTP/2 was offered */
export interface SeenHandshake {
  family: 4 | 6;
  name: string;
  port: number;
  bytes: string;
  old: string;
  weak: string;
  two: string;
}

/** What came back on a connection that asked to become a WebSocket, and then sent a ping (RFC 6455 §5.5.2). */
export interface SeenLive {
  family: 4 | 6;
  name: string;
  port: number;
  target: string;
  bytes: string;
}

/** Of what the other machine was not asked to test. */
export const notSeen: Failure = { kind: 'unreachable', reason: 'the other machine did not test it' };

export interface Seen {
  answers: SeenAnswer[];
  handshakes: SeenHandshake[];
  live: SeenLive[];
  /** Name of the device that was shown to names that ask for one; null for none. */
  device: string | null;
}

/** Why what was read is not what the script prints. @property line counts from 1; 0 for the whole */
interface SeenProblem {
  line: number;
  why: string;
}

const askLine = /^ask ([46]) (https?) (\S+) (\d{1,5}) (\S+)$/;
const liveLine = /^live ([46]) (\S+) (\d{1,5}) (\S+)$/;
const deviceLine = /^device ([a-z0-9-]{1,32})$/;
const shakeLine = /^shake ([46]) (\S+) (\d{1,5})$/;

/** Reads what the script printed. A file that was cut off is no picture of anything, and is refused. */
export function readSeen(text: string): Seen | SeenProblem {
  const lines = text.split(/\r?\n/);
  if (lines[0]?.replace(/^\ufeff/, '').trim() !== lookFormat)
    return { line: 1, why: `it does not begin with "${lookFormat}"` };
  const seen: Seen = { answers: [], handshakes: [], live: [], device: null };
  let fill: (key: string, value: string) => boolean = () => false;
  for (const [index, line] of lines.entries()) {
    if (index === 0 || line === '') continue;
    if (line === 'end') return seen;
    const ask = askLine.exec(line);
    const shake = shakeLine.exec(line);
    const live = liveLine.exec(line);
    const device = deviceLine.exec(line);
    if (device !== null) seen.device = device[1] ?? null;
    else if (ask !== null) fill = fillAnswer(seen, ask);
    else if (shake !== null) fill = fillHandshake(seen, shake);
    else if (live !== null) fill = fillLive(seen, live);
    else {
      const space = line.indexOf(' ');
      const [key, value] = space === -1 ? [line, ''] : [line.slice(0, space), line.slice(space + 1)];
      if (!fill(key, value)) return { line: index + 1, why: 'this line is none of those that the script prints' };
    }
  }
  return { line: 0, why: 'its last line, "end", is missing: it was cut off' };
}

function fillAnswer({ answers }: Seen, match: RegExpExecArray): (key: string, value: string) => boolean {
  const [, family = '', scheme = '', name = '', port = '', target = ''] = match;
  const answer: SeenAnswer = {
    family: familyIn(family),
    scheme: scheme === 'https' ? 'https' : 'http',
    name,
    port: Number(port),
    target,
    from: '',
    to: '',
    connected: false,
    exit: 0,
    error: '',
    bytes: '',
  };
  answers.push(answer);
  return (key, value) => {
    if (key === 'from' || key === 'to' || key === 'error') answer[key] = value.trim();
    else if (key === 'connected') answer.connected = Number(value.replace(',', '.')) > 0;
    else if (key === 'exit') answer.exit = Number(value);
    else if (key === 'bytes' && isHex(value)) answer.bytes = value;
    else return false;
    return true;
  };
}

const isHex = (value: string): boolean => /^([0-9a-f]{2})*$/.test(value);

const familyIn = (word: string): 4 | 6 => (word === '4' ? 4 : 6);

function fillHandshake({ handshakes }: Seen, match: RegExpExecArray): (key: string, value: string) => boolean {
  const [, family = '', name = '', port = ''] = match;
  const handshake: SeenHandshake = {
    family: familyIn(family),
    name,
    port: Number(port),
    bytes: '',
    old: '',
    weak: '',
    two: '',
  };
  handshakes.push(handshake);
  return (key, value) => {
    if (key === 'old' || key === 'weak' || key === 'two') handshake[key] = value.trim();
    else if (key === 'bytes' && isHex(value)) handshake.bytes = value;
    else return false;
    return true;
  };
}

function fillLive({ live }: Seen, match: RegExpExecArray): (key: string, value: string) => boolean {
  const [, family = '', name = '', port = '', target = ''] = match;
  const one: SeenLive = { family: familyIn(family), name, port: Number(port), target, bytes: '' };
  live.push(one);
  return (key, value) => {
    if (key !== 'bytes' || !isHex(value)) return false;
    one.bytes = value;
    return true;
  };
}
