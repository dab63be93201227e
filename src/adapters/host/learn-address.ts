import { spawn } from 'node:child_process';
import { dirname, join } from 'node:path';
import type { HostFacts } from '../../core/inventory/inventory.ts';
import type { AddressFrom } from '../../core/map/site-map.ts';
import { isLinkLocal, isPrivate, parseAddress } from '../../core/networks/address.ts';
import { addressSeenBy } from '../probe/stun.ts';
import { asOwnerOf } from '../processes/as-owner.ts';
import { reasonOf, Trouble } from '../trouble.ts';

interface LearnInput {
  from: AddressFrom;
  host: HostFacts;
  mapFile: string;
  timeoutMs: number;
  signal: AbortSignal;
}

/**
 * The public addresses as they are at this moment, one of each kind at most.
 *
 * @throws Trouble `address-not-learned`, `address-not-public`
 */
export async function learnAddresses(input: LearnInput): Promise<string[]> {
  const { found, source } = await gather(input);
  const [v4, v6] = [4, 6].map((family) => found.find((one) => (one.includes(':') ? 6 : 4) === family));
  const learned = [v4, v6].flatMap((address) => address ?? []);
  if (learned.length === 0) throw notLearned(source, 'it gives no address');
  const inside = learned.find(isPrivate);
  if (inside === undefined) return learned;
  throw new Trouble({
    code: 'address-not-public',
    message: `${source} says ${inside}, which is not reachable from outside.`,
    remedy:
      'Behind a router, ask a server outside: address-from: {stun: SERVER:PORT}. If that answers the same, your provider shares one address between customers.',
  });
}

async function gather({
  from,
  host,
  mapFile,
  timeoutMs,
  signal,
}: LearnInput): Promise<{ found: string[]; source: string }> {
  switch (from.kind) {
    case 'interface': {
      const own = host.addresses.filter((one) => one.interface === from.name && !isLinkLocal(one.address));
      return { found: own.map(({ address }) => address), source: `The interface ${from.name}` };
    }
    case 'stun': {
      const source = `The STUN server ${from.server}`;
      const seen = await addressSeenBy(from.server, timeoutMs).catch((cause: unknown) => {
        throw notLearned(source, reasonOf(cause), cause);
      });
      return { found: [seen], source };
    }
    case 'program': {
      const [program = '', ...argv] = from.program;
      const path = program.startsWith('.') ? join(dirname(mapFile), program) : program;
      const source = `The program ${program}`;
      const text = await outputOf([path, ...argv], { signal, timeoutMs, folder: dirname(mapFile) }).catch(
        (cause: unknown) => {
          throw notLearned(source, reasonOf(cause), cause);
        },
      );
      return { found: text.split(/\s+/).flatMap((word) => parseAddress(word) ?? []), source };
    }
  }
}

function notLearned(source: string, reason: string, cause?: unknown): Trouble {
  const message = `${source} does not give the public address: ${reason}.`;
  return new Trouble({
    code: 'address-not-learned',
    message,
    remedy: 'Correct `dns.address-from` in the map. Nothing was changed.',
    cause,
  });
}

/** Without a shell, and not for longer than the limit. */
async function outputOf(
  [program = '', ...argv]: readonly string[],
  { signal, timeoutMs, folder }: { signal: AbortSignal; timeoutMs: number; folder: string },
): Promise<string> {
  const limits = { signal, timeout: timeoutMs, ...asOwnerOf(folder) };
  const child = spawn(program, argv, { stdio: ['ignore', 'pipe', 'inherit'], ...limits });
  let out = '';
  child.stdout.setEncoding('utf8').on('data', (text: string) => (out = (out + text).slice(0, 4096)));
  const code = await new Promise<number | null>((resolve, reject) => {
    child.once('error', reject);
    child.once('close', resolve);
  });
  if (code !== 0) throw new Error(code === null ? 'it did not end in time' : `it ended with code ${String(code)}`);
  return out;
}
