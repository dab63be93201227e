import { filesOf } from '../core/gates/check.ts';
import { createHmac, randomBytes } from 'node:crypto';
import { readFile, stat } from 'node:fs/promises';
import type { PlannedRoad } from '../core/plan/plan.ts';
import { parsePasswordFile, type PasswordFile } from '../core/people/password-file.ts';
import { countedAs } from '../core/networks/counted-as.ts';
import { longestCredentials } from '../core/front-limits.ts';
import { asksPeople } from '../core/verdict/gate.ts';
import type { VerdictRequest } from '../core/verdict/verdict.ts';
import { reasonOf } from '../adapters/trouble.ts';
import { HashQueue } from './hash-queue.ts';

/** Who a request proves to be. */
export type Proof = Pick<VerdictRequest, 'person' | 'knownIn'>;

const nobody: Proof = { person: 'none' };
const wrong: Proof = { person: 'wrong' };

/** Good credentials are remembered so long, in milliseconds: a page with sixty files is not hashed sixty times. */
const rememberedMs = 5 * 60_000;
const mostRemembered = 1000;
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
  private readonly hashes: HashQueue;

  constructor(private readonly onTrouble: (message: string) => void) {
    this.hashes = new HashQueue(onTrouble);
  }

  /** Asked only when the gate would refuse without: nothing is hashed for a visitor whom his network lets in. */
  async prove({ gate }: PlannedRoad, { target, client, authorization }: Asking): Promise<Proof> {
    if (authorization === undefined || !asksPeople(gate, target)) return nobody;
    const said = credentialsOf(authorization);
    if (said === null) return /^basic(?: |$)/i.test(authorization) ? wrong : nobody;
    const files = filesOf(gate);
    const knownIn: string[] = [];
    for (const file of files) if (await this.isKnown(file, said, countedAs(client))) knownIn.push(file);
    return knownIn.length === 0 ? wrong : { person: said.name, knownIn };
  }

  /** Once nobody waits any more: whoever is just logging in is not told that his password is wrong. */
  stop(): Promise<void> {
    return this.hashes.stop();
  }

  private async isKnown(path: string, { name, password }: Credentials, client: string): Promise<boolean> {
    const held = await this.read(path);
    if (held === null) return false;
    const { people } = held.file;
    const person = people.find((one) => one.name === name);
    if (person === undefined) {
      // As much work as for a name that is there, always that of the same person for the same name, so that the time tells nobody which names are.
      const likeness = people[this.numberOf(name) % Math.max(1, people.length)];
      if (likeness !== undefined) await this.hashes.fits({ password, hash: likeness.hash, client });
      return false;
    }
    const remembered = this.digest([path, held.stamp, name, person.hash, password]);
    if ((this.good.get(remembered) ?? 0) > performance.now()) return true;
    this.good.delete(remembered);
    if (!(await this.hashes.fits({ password, hash: person.hash, client }))) return false;
    if (this.good.size >= mostRemembered) this.good.delete([...this.good.keys()][0] ?? '');
    this.good.set(remembered, performance.now() + rememberedMs);
    return true;
  }

  private numberOf(name: string): number {
    return createHmac('sha256', this.key).update(name).digest().readUInt32BE();
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
}

/** Who says it, and where it is asked. */
interface Asking {
  target: string;
  client: string;
  authorization: string | undefined;
}

interface Credentials {
  name: string;
  password: string;
}

/** RFC 7617 §2: base64 of NAME:PASSWORD, in UTF-8. Null when it is anything else, also where the end of the base64 is not its own (RFC 4648 §4). */
export function credentialsOf(authorization: string): Credentials | null {
  const [, coded] = /^basic +([A-Za-z0-9+/]+)={0,2} *$/i.exec(authorization) ?? [];
  if (coded === undefined || coded.length > longestCredentials || coded.length % 4 === 1) return null;
  const text = Buffer.from(coded, 'base64').toString('utf8');
  const colon = text.indexOf(':');
  return colon === -1 ? null : { name: text.slice(0, colon), password: text.slice(colon + 1) };
}
