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

/** What `openssl s_client` said. @property old protocol and suite of a handshake with TLS 1.1 at most; empty when there was none */
export interface SeenHandshake {
  family: 4 | 6;
  name: string;
  port: number;
  bytes: string;
  old: string;
}

export interface Seen {
  answers: SeenAnswer[];
  handshakes: SeenHandshake[];
}

/** Why what was read is not what the script prints. @property line counts from 1; 0 for the whole */
export interface SeenProblem {
  line: number;
  why: string;
}

const askLine = /^ask ([46]) (https?) (\S+) (\d{1,5}) (\S+)$/;
const shakeLine = /^shake ([46]) (\S+) (\d{1,5})$/;

/** Reads what the script printed. A file that was cut off is no picture of anything, and is refused. */
export function readSeen(text: string): Seen | SeenProblem {
  const lines = text.split(/\r?\n/);
  if (lines[0]?.replace(/^\ufeff/, '').trim() !== lookFormat)
    return { line: 1, why: `it does not begin with "${lookFormat}"` };
  const seen: Seen = { answers: [], handshakes: [] };
  let fill: (key: string, value: string) => boolean = () => false;
  for (const [index, line] of lines.entries()) {
    if (index === 0 || line === '') continue;
    if (line === 'end') return seen;
    const ask = askLine.exec(line);
    const shake = shakeLine.exec(line);
    if (ask !== null) fill = fillAnswer(seen, ask);
    else if (shake !== null) fill = fillHandshake(seen, shake);
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
    family: family === '4' ? 4 : 6,
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
    else if (key === 'bytes' && /^([0-9a-f]{2})*$/.test(value)) answer.bytes = value;
    else return false;
    return true;
  };
}

function fillHandshake({ handshakes }: Seen, match: RegExpExecArray): (key: string, value: string) => boolean {
  const [, family = '', name = '', port = ''] = match;
  const handshake: SeenHandshake = { family: family === '4' ? 4 : 6, name, port: Number(port), bytes: '', old: '' };
  handshakes.push(handshake);
  return (key, value) => {
    if (key === 'old') handshake.old = value.trim();
    else if (key === 'bytes' && /^([0-9a-f]{2})*$/.test(value)) handshake.bytes = value;
    else return false;
    return true;
  };
}
