/**
 * The world as a command sees it. Tests hand in their own.
 *
 * @property out data, for pipes @property err talk, for people
 * @property width columns of the terminal, 80 when there is none
 */
export interface Io {
  out: (text: string) => void;
  err: (text: string) => void;
  width: number;
  colour: { out: boolean; err: boolean };
  /** Shows how far long work has come, over what it showed before, where stderr is a terminal; an empty line takes it away. */
  progress: (line: string) => void;
  /** Asks a person and waits for one line; null when nobody is there to answer. */
  ask: ((question: string) => Promise<string>) | null;
  /** The same for a secret, which is not shown while it is typed. */
  askSecret: ((question: string) => Promise<string>) | null;
  /** All of standard input as text. */
  readInput: () => Promise<string>;
  cwd: string;
  env: Readonly<Record<string, string | undefined>>;
  now: () => Date;
  /** Aborted by Ctrl-C and by SIGTERM. */
  signal: AbortSignal;
  /** Has work done whenever the process is told to take up what was written since, by SIGUSR2. */
  onTakeUp: (work: () => void) => void;
}

/** What every command is built with. */
export interface CommandContext {
  io: Io;
  /** Sets the exit code that the program ends with. */
  setCode: (code: number) => void;
  /** Runs another command line of this program in another world. Returns its exit code. */
  run: (argv: readonly string[], io: Io) => Promise<number>;
}
