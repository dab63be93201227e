import { createHmac, randomBytes } from 'node:crypto';
import { readFile, stat } from 'node:fs/promises';
import { Worker } from 'node:worker_threads';
import type { PlannedRoad } from '../core/plan/plan.ts';
import { parsePasswordFile, type PasswordFile } from '../core/people/password-file.ts';
import { asksPeople } from '../core/verdict/gate.ts';
import type { VerdictRequest } from '../core/verdict/verdict.ts';
import { reasonOf } from '../adapters/trouble.ts';

/** Who a request proves to be. */
export type Proof = Pick<VerdictRequest, 'person' | 'knownIn'>;

const nobody: Proof = { person: 'none' };
const wrong: Proof = { person: 'wrong' };

/** Good credentials are remembered so long, in milliseconds: a page with sixty files is not hashed sixty times. */
const rememberedMs = 5 * 60_000;
const mostRemembered = 1000;
/** More hashes than this wait for no one; those that ask then are told that their password is wrong, which costs nothing. */
const mostWaiting = 64;

interface HeldFile {
  stamp: string;
  file: PasswordFile;
}

/**
 * Proves who sent a request, by the password files of a gate. Files are read again when they change. Hashes are made in a thread of
 * their own, and what was good is remembered under a keyed digest: neither password nor its plain digest stays in memory.
 */
export class PasswordChecker {
  private readonly files = new Map<string, HeldFile>();
  private readonly good = new Map<string, number>();
  private readonly key = randomBytes(32);
  private readonly waiting = new Map<number, (fits: boolean) => void>();
  private worker: Worker | null = null;
  private next = 0;

  constructor(private readonly onTrouble: (message: string) => void) {}

  /** Asked only when the gate would refuse without: nothing is hashed for a visitor whom his network lets in. */
  async prove({ gate }: PlannedRoad, target: string, authorization: string | undefined): Promise<Proof> {
    const said = authorization === undefined ? null : credentialsOf(authorization);
    if (authorization === undefined || !asksPeople(gate, target)) return nobody;
    if (said === null) return /^basic(?: |$)/i.test(authorization) ? wrong : nobody;
    const files = [...new Set(gate.parts.flatMap(({ people }) => people ?? []))];
    const knownIn: string[] = [];
    for (const file of files) if (await this.isKnown(file, said)) knownIn.push(file);
    return knownIn.length === 0 ? wrong : { person: said.name, knownIn };
  }

  /** Once nobody waits any more: whoever is just logging in is not told that his password is wrong. */
  async stop(): Promise<void> {
    await this.worker?.terminate();
  }

  private async isKnown(file: string, { name, password }: Credentials): Promise<boolean> {
    const held = await this.read(file);
    const person = held?.file.people.find((one) => one.name === name);
    if (held === null) return false;
    if (person === undefined) {
      // As much work as for a name that is there, so that the time tells nobody which names are.
      await this.fits(password, held.file.people[0]?.hash ?? '');
      return false;
    }
    const remembered = this.digest([file, held.stamp, name, person.hash, password]);
    if ((this.good.get(remembered) ?? 0) > performance.now()) return true;
    this.good.delete(remembered);
    if (!(await this.fits(password, person.hash))) return false;
    if (this.good.size >= mostRemembered) this.good.delete([...this.good.keys()][0] ?? '');
    this.good.set(remembered, performance.now() + rememberedMs);
    return true;
  }

  private digest(parts: readonly string[]): string {
    return createHmac('sha256', this.key).update(JSON.stringify(parts)).digest('base64');
  }

  /** Null when the file cannot be read: then nobody is known. */
  private async read(path: string): Promise<HeldFile | null> {
    try {
      const { mtimeMs, size, ino } = await stat(path);
      const stamp = [mtimeMs, size, ino].join();
      const before = this.files.get(path);
      if (before?.stamp === stamp) return before;
      const held = { stamp, file: parsePasswordFile(await readFile(path, 'utf8')) };
      this.files.set(path, held);
      return held;
    } catch (error) {
      this.onTrouble(`the password file ${path} cannot be read: ${reasonOf(error)}`);
      return null;
    }
  }

  private fits(password: string, hash: string): Promise<boolean> {
    if (this.waiting.size >= mostWaiting) return Promise.resolve(false);
    const worker = (this.worker ??= this.start());
    const id = (this.next += 1);
    return new Promise((resolve) => {
      this.waiting.set(id, resolve);
      worker.postMessage({ id, password, hash });
    });
  }

  private start(): Worker {
    const worker = new Worker(new URL(workerFile, import.meta.url));
    worker.unref();
    worker.on('message', ({ id, fits }: { id: number; fits: boolean }) => this.answer(id, fits));
    // A thread that died is started anew by the next question; those that waited are refused.
    worker.on('error', (error) => this.onTrouble(`passwords cannot be checked: ${reasonOf(error)}`));
    worker.on('exit', () => {
      this.worker = null;
      for (const id of [...this.waiting.keys()]) this.answer(id, false);
    });
    return worker;
  }

  private answer(id: number, fits: boolean): void {
    this.waiting.get(id)?.(fits);
    this.waiting.delete(id);
  }
}

/** Bundled beside the chunk that this ends up in; see scripts/build.mjs. */
const workerFile = '../people-worker.js';

interface Credentials {
  name: string;
  password: string;
}

/** RFC 7617 §2: base64 of NAME:PASSWORD, in UTF-8. Null when it is anything else. */
export function credentialsOf(authorization: string): Credentials | null {
  const coded = /^basic +([A-Za-z0-9+/]+={0,2}) *$/i.exec(authorization)?.[1];
  if (coded === undefined) return null;
  const text = Buffer.from(coded, 'base64').toString('utf8');
  const colon = text.indexOf(':');
  return colon === -1 ? null : { name: text.slice(0, colon), password: text.slice(colon + 1) };
}
