import { Worker } from 'node:worker_threads';
import { ownFile } from '../adapters/host/own-program.ts';
import { reasonOf } from '../adapters/trouble.ts';

interface Question {
  password: string;
  hash: string;
  /** Whom it is counted to. */
  client: string;
}

interface Waiting extends Question {
  answer: (fits: boolean) => void;
}

/** So many questions of one client wait; the next is told that its password is wrong, which costs nothing. */
const mostOfOne = 16;
/** So many clients are remembered for having been right. */
const mostTrusted = 1000;

/**
 * Compares passwords with hashes in a thread of its own, one at a time. Clients take turns, so that nobody waits for more than one question of
 * each other one, and those that were right before come first.
 */
export class HashQueue {
  /** By client, the one whose turn is next first. */
  private readonly waiting = new Map<string, Waiting[]>();
  private readonly trusted = new Set<string>();
  private worker: Worker | null = null;
  private current: Waiting | null = null;

  constructor(private readonly onTrouble: (message: string) => void) {}

  fits(question: Question): Promise<boolean> {
    const queue = this.waiting.get(question.client) ?? [];
    if (queue.length >= mostOfOne) return Promise.resolve(false);
    this.waiting.set(question.client, queue);
    return new Promise((answer) => {
      queue.push({ ...question, answer });
      this.ask();
    });
  }

  async stop(): Promise<void> {
    await this.worker?.terminate();
  }

  private ask(): void {
    if (this.current !== null) return;
    this.current = this.take();
    if (this.current === null) return;
    const { password, hash } = this.current;
    (this.worker ??= this.start()).postMessage({ password, hash });
  }

  private take(): Waiting | null {
    const clients = [...this.waiting.keys()];
    const client = clients.find((one) => this.trusted.has(one)) ?? clients[0];
    if (client === undefined) return null;
    const [first, ...rest] = this.waiting.get(client) ?? [];
    this.waiting.delete(client);
    if (rest.length > 0) this.waiting.set(client, rest);
    return first ?? null;
  }

  private answer(fits: boolean): void {
    const asked = this.current;
    this.current = null;
    if (asked !== null) this.remember(asked.client, fits);
    asked?.answer(fits);
    this.ask();
  }

  /** Whoever was right and then guesses has no precedence any more. */
  private remember(client: string, fits: boolean): void {
    this.trusted.delete(client);
    if (!fits) return;
    if (this.trusted.size >= mostTrusted) this.trusted.delete([...this.trusted][0] ?? '');
    this.trusted.add(client);
  }

  private start(): Worker {
    const worker = new Worker(ownFile('people-worker.js'));
    worker.unref();
    worker.on('message', (fits: boolean) => this.answer(fits));
    // A thread that died is started anew by the next question; whoever asked it is refused.
    worker.on('error', (error) => this.onTrouble(`passwords cannot be checked: ${reasonOf(error)}`));
    worker.on('exit', () => {
      this.worker = null;
      if (this.current !== null) this.answer(false);
    });
    return worker;
  }
}
