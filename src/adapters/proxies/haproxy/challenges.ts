import { lstat, readdir, readFile } from 'node:fs/promises';
import net from 'node:net';
import { join } from 'node:path';
import { tokenIn, challengePrefix } from '../../../core/certificates/challenge.ts';
import { pendingMap, socketPath } from '../../../core/proxies/haproxy/front.ts';
import type { Plan } from '../../../core/plan/plan.ts';
import { ensureFolder, writeWhole } from '../../files/safe-write.ts';
import { patienceMs } from '../adapter.ts';

/** Writes what is pending into the map that haproxy reads at its start, and into the one that it holds while it runs (management guide §9.3). */
export async function tellChallenges(plan: Plan): Promise<void> {
  const { challenges } = plan;
  if (challenges === null) return;
  const pending = await pendingIn(challenges);
  const file = pendingMap(challenges);
  await ensureFolder(challenges);
  await writeWhole(file, pending.map(([key, answer]) => `${key} ${answer}\n`).join(''));
  const socket = socketPath(plan);
  if (socket === null) return;
  const commands = [`clear map ${file}`, ...pending.map(([key, answer]) => `add map ${file} ${key} ${answer}`)];
  await say(socket, `${commands.join('; ')}\n`);
}

/** Links are somebody else's, and no answers of ours. */
async function pendingIn(challenges: string): Promise<Array<[string, string]>> {
  const pending: Array<[string, string]> = [];
  for (const name of await readdir(challenges).catch(() => [])) {
    const folder = join(challenges, name, challengePrefix);
    for (const token of await readdir(folder).catch(() => [])) {
      const file = join(folder, token);
      if (tokenIn(`${challengePrefix}${token}`) === null || !(await lstat(file)).isFile()) continue;
      const answer = (await readFile(file, 'utf8')).trim();
      // RFC 8555 §8.1: two texts in base64url and a dot. Anything else would be words of a command.
      if (/^[A-Za-z0-9_.-]+$/.test(answer)) pending.push([`${name}/${token}`, answer]);
    }
  }
  return pending;
}

/** Nobody listens where it does not run; then it reads the file when it starts. */
function say(path: string, words: string): Promise<void> {
  return new Promise((resolve) => {
    const socket = net.connect({ path });
    socket.setTimeout(patienceMs, () => socket.destroy());
    socket.on('error', () => undefined);
    socket.once('close', () => resolve());
    socket.resume().end(words);
  });
}
