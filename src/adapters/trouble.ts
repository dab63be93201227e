import { visible } from '../core/outside/words.ts';

/** Exit codes of the program. */
export const exit = { well: 0, foundWrong: 1, badInput: 2, cannotJudge: 3, interrupted: 130 } as const;

interface TroubleInput {
  /** Stable kebab-case code. */
  code: string;
  message: string;
  remedy: string;
  /** 2: map or command line wrong; 3: the machine did not let us; 130: interrupted in the middle of what the next command ends. */
  exitCode?: 2 | 3 | 130;
  cause?: unknown;
}

/** The one kind of error that reaches a person: what, why, and what to do. Anything else that is thrown is a mistake of ours. */
export class Trouble extends Error {
  readonly code: string;
  readonly remedy: string;
  readonly exitCode: 2 | 3 | 130;

  constructor({ code, message, remedy, exitCode = 3, cause }: TroubleInput) {
    super(lines(message), { cause });
    this.name = 'Trouble';
    this.code = code;
    this.remedy = lines(remedy);
    this.exitCode = exitCode;
  }
}

/** Some sentences have several lines of their own; what others wrote in them has nothing else that a terminal obeys. */
function lines(text: string): string {
  return text.split('\n').map(visible).join('\n');
}

const systemWords: Record<string, string> = {
  EACCES: 'permission denied',
  EADDRINUSE: 'the port is taken',
  EADDRNOTAVAIL: 'this machine does not have that address',
  ECONNREFUSED: 'the connection was refused',
  ECONNRESET: 'the connection was cut',
  EHOSTUNREACH: 'there is no route to that address',
  EISDIR: 'it is a folder',
  ELOOP: 'it is a link, or behind too many links',
  EMFILE: 'too many files are open',
  ENETUNREACH: 'there is no route to that network',
  ENOENT: 'it does not exist',
  ENOSPC: 'the disk is full',
  ENOTDIR: 'part of its path is not a folder',
  EPERM: 'the system does not allow it',
  EPIPE: 'the other end closed the connection',
  EROFS: 'the disk is read-only',
  ETIMEDOUT: 'nothing answered in time',
};

/** The system's reason in words. Node gathers failed attempts in an AggregateError whose own message is empty. */
export function reasonOf(error: unknown): string {
  if (error instanceof AggregateError && error.errors.length > 0) return reasonOf(error.errors[0]);
  const code = codeOf(error);
  const words = code === null ? undefined : systemWords[code];
  if (words !== undefined) return words;
  return error instanceof Error && error.message !== '' ? error.message : String(code ?? error);
}

export function codeOf(error: unknown): string | null {
  if (error instanceof AggregateError && error.errors.length > 0) return codeOf(error.errors[0]);
  const code = typeof error === 'object' && error !== null && 'code' in error ? error.code : null;
  return typeof code === 'string' ? code : null;
}
