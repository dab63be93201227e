import { stat } from 'node:fs/promises';
import { Trouble } from '../trouble.ts';
import { readText } from './read-text.ts';
import { shellWord } from '../../core/shell-word.ts';

/** Whom a server knows by a password. */
export interface Login {
  name: string;
  password: string;
}

/**
 * Reads NAME:PASSWORD from the first line of a file that nobody else can read.
 *
 * @throws Trouble `login-open` when others can read it, `login-form` when the line is none
 */
export async function readLogin(path: string, what = 'file with the test login'): Promise<Login> {
  const text = await readText({ path, what });
  const { mode } = await stat(path);
  if ((mode & 0o077) !== 0) {
    throw new Trouble({
      code: 'login-open',
      message: `${path} can be read by others on this machine (mode ${(mode & 0o777).toString(8)}).`,
      remedy: `Close it: chmod 600 ${shellWord(path)}`,
      exitCode: 2,
    });
  }
  const line = text.split(/\r?\n/, 1)[0] ?? '';
  const colon = line.indexOf(':');
  if (colon > 0) return { name: line.slice(0, colon), password: line.slice(colon + 1) };
  throw new Trouble({
    code: 'login-form',
    message: `${path} does not begin with NAME:PASSWORD.`,
    remedy: 'Write them into its first line, with a colon between them.',
    exitCode: 2,
  });
}
