import { constants } from 'node:fs';
import { lstat, open, readlink, type FileHandle } from 'node:fs/promises';
import { basename, dirname, resolve } from 'node:path';
import { codeOf, Trouble } from '../trouble.ts';

const { O_DIRECTORY, O_NOFOLLOW, O_RDONLY } = constants;
const mostLinks = 8;

/**
 * Works on a path by way of its folder as it was opened, one name after the other, without following a link of anybody but root: while root
 * writes below a folder of somebody else, that user could put a link in the place of any folder of theirs. For others than root the system's
 * own rights say what may be written.
 *
 * @param work gets the path by which the folder stays the one that was opened (proc(5), /proc/PID/fd)
 * @throws Trouble `link-of-others`
 */
export async function inTrueFolder<T>(path: string, work: (path: string) => Promise<T>): Promise<T> {
  if (process.geteuid?.() !== 0 || process.platform !== 'linux') return work(path);
  const folder = await openTrue(dirname(resolve(path)));
  try {
    return await work(`${through(folder)}/${basename(path)}`);
  } finally {
    await folder.close();
  }
}

async function openTrue(path: string, links = 0): Promise<FileHandle> {
  let at = await open('/', O_RDONLY | O_DIRECTORY);
  const names = path.split('/').filter((name) => name !== '');
  for (const [index, name] of names.entries()) {
    const next = await open(`${through(at)}/${name}`, O_RDONLY | O_DIRECTORY | O_NOFOLLOW).catch(
      (cause: unknown) => cause,
    );
    if (isHandle(next)) {
      await at.close();
      at = next;
      continue;
    }
    const here = `/${names.slice(0, index + 1).join('/')}`;
    const target = await targetOf(at, name, here, next).finally(() => at.close());
    if (links >= mostLinks) throw next;
    return openTrue(resolve(dirname(here), target, ...names.slice(index + 1)), links + 1);
  }
  return at;
}

/** Where a link leads that nobody but root can have made; anything else that is no folder is refused. */
async function targetOf(at: FileHandle, name: string, shown: string, cause: unknown): Promise<string> {
  const code = codeOf(cause);
  if (code !== 'ELOOP' && code !== 'ENOTDIR') throw cause;
  const link = `${through(at)}/${name}`;
  const [there, folder] = [await lstat(link), await at.stat()];
  if (!there.isSymbolicLink()) throw cause;
  const isRoots = there.uid === 0 && folder.uid === 0 && ((folder.mode & 0o022) === 0 || (folder.mode & 0o1000) !== 0);
  if (isRoots) return readlink(link);
  throw new Trouble({
    code: 'link-of-others',
    message: `${shown} is a link that another user may change, and root writes through no such link.`,
    remedy: 'Use the folder that the link points to, or replace the link with that folder.',
    cause,
  });
}

function isHandle(found: unknown): found is FileHandle {
  return typeof found === 'object' && found !== null && 'fd' in found;
}

function through({ fd }: FileHandle): string {
  return `/proc/self/fd/${String(fd)}`;
}
