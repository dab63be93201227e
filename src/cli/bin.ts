import { isatty } from 'node:tty';

import { runProgram } from './run-program.ts';

/** The process around the program: its streams, signals and exit code. */

const interrupted = new AbortController();
let stopping: NodeJS.Signals | null = null;

function stop(signal: NodeJS.Signals): void {
  // A second Ctrl-C does not wait for what is being put in order.
  if (stopping !== null) process.exit(130);
  stopping = signal;
  interrupted.abort(new Error(signal));
}

/**
 * Whoever looks at the signal has something to put in order first. Until somebody does, a signal ends the program at once, also in the midst of a
 * long computation, in which no listener would be heard.
 */
function lateSignal(signal: AbortSignal): AbortSignal {
  const arm = (): void => {
    if (process.listenerCount('SIGINT') > 0) return;
    for (const name of ['SIGINT', 'SIGTERM', 'SIGHUP'] as const) process.on(name, stop);
  };
  const isAborted = (): boolean => Reflect.get(AbortSignal.prototype, 'aborted', signal) as boolean;
  return Object.defineProperties(signal, {
    aborted: { get: () => (arm(), isAborted()) },
    throwIfAborted: { value: () => (arm(), AbortSignal.prototype.throwIfAborted.call(signal)) },
    addEventListener: {
      value: (...given: Parameters<AbortSignal['addEventListener']>) => (
        arm(),
        AbortSignal.prototype.addEventListener.apply(signal, given)
      ),
    },
  });
}

// A reader that goes away (`| head`) is no mistake.
for (const stream of [process.stdout, process.stderr]) {
  stream.on('error', (error: NodeJS.ErrnoException) => {
    if (error.code !== 'EPIPE') throw error;
    process.exit(process.exitCode ?? 0);
  });
}

/** Questions go to stderr, so that stdout stays data. */
async function ask(question: string): Promise<string> {
  const { createInterface } = await import('node:readline/promises');
  const lines = createInterface({ input: process.stdin, output: process.stderr });
  try {
    return await lines.question(question, { signal: interrupted.signal });
  } finally {
    lines.close();
  }
}

/** The terminal echoes what is typed by way of `output`; here it goes nowhere. */
async function askSecret(question: string): Promise<string> {
  const [{ createInterface }, { Writable }] = await Promise.all([
    import('node:readline/promises'),
    import('node:stream'),
  ]);
  const nowhere = new Writable({ write: (_chunk, _encoding, done) => done() });
  process.stderr.write(question);
  const lines = createInterface({ input: process.stdin, output: nowhere, terminal: true });
  try {
    return await lines.question('', { signal: interrupted.signal });
  } finally {
    lines.close();
    process.stderr.write('\n');
  }
}

/** A folder that was removed under the shell is no folder any more; the root has no map, and that is then told. */
function currentFolder(): string {
  try {
    return process.cwd();
  } catch {
    return '/';
  }
}

/** Where nobody watches a terminal, such as in a log, long work says what it does every ten seconds. */
const everyMs = 10_000;

let doing = '';
let saying: NodeJS.Timeout | null = null;

function slowly(line: string): void {
  doing = line;
  if (line === '') {
    if (saying !== null) clearInterval(saying);
    saying = null;
    return;
  }
  saying ??= setInterval(() => void process.stderr.write(`${doing} …\n`), everyMs).unref();
}

const plain = (process.env['NO_COLOR'] ?? '') !== '' || process.env['TERM'] === 'dumb';
void runProgram(process.argv.slice(2), {
  out: (text) => process.stdout.write(text),
  err: (text) => process.stderr.write(text),
  width: process.stdout.columns ?? 80,
  // `isTTY` of a pipe is undefined, which the library of colours would take for a question to CI and FORCE_COLOR.
  colour: { out: isatty(1) && !plain, err: isatty(2) && !plain },
  progress: process.stderr.isTTY ? (line) => void process.stderr.write(`\r\u001b[K${line}`) : slowly,
  ask: process.stdin.isTTY && process.stderr.isTTY ? ask : null,
  askSecret: process.stdin.isTTY && process.stderr.isTTY ? askSecret : null,
  readInput: async () => {
    const { text } = await import('node:stream/consumers');
    return text(process.stdin);
  },
  cwd: currentFolder(),
  env: process.env,
  now: () => new Date(),
  signal: lateSignal(interrupted.signal),
  onTakeUp: (work) => void process.on('SIGUSR2', work),
}).then((code) => {
  process.exitCode = code;
});
