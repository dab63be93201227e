import { constants } from 'node:fs';
import { open } from 'node:fs/promises';
import { reasonOf, Trouble, codeOf } from '../trouble.ts';

interface ReadTextInput {
  path: string;
  /** What the file is to the reader, such as "map". */
  what: string;
  maxBytes?: number;
  /** Nothing else than a file: a pipe or a device could say nothing, or never end. */
  isFile?: boolean;
}

const mebibyte = 1024 * 1024;
const chunkBytes = 16 * 1024;

/**
 * Reads a UTF-8 text file of at most `maxBytes` (default 1 MiB). A byte order mark is dropped.
 *
 * @throws Trouble `file-unreadable`, `file-too-large`, `file-not-utf8` (all exit code 2)
 */
export async function readText({ path, what, maxBytes = mebibyte, isFile = false }: ReadTextInput): Promise<string> {
  const bytes = await readBytes({ path, what, maxBytes, isFile });
  try {
    return new TextDecoder('utf-8', { fatal: true }).decode(bytes);
  } catch (cause) {
    const message = `The ${what} ${path} is not UTF-8 text; byte ${String(firstBadByte(bytes) + 1)} cannot be read.`;
    throw new Trouble({ code: 'file-not-utf8', message, remedy: 'Save it as UTF-8.', exitCode: 2, cause });
  }
}

async function readBytes({ path, what, maxBytes, isFile }: Required<ReadTextInput>): Promise<Buffer> {
  try {
    await using handle = await opened(path, isFile);
    const stat = await handle.file.stat();
    if (stat.isDirectory()) throw Object.assign(new Error('folder'), { code: 'EISDIR' });
    if (isFile && !stat.isFile()) throw new Error('it is no ordinary file');
    const chunks: Buffer[] = [];
    let length = 0;
    // Read until the end, since pipes and files under /proc do not say their size.
    while (length <= maxBytes) {
      const { bytesRead, buffer } = await handle.file.read(Buffer.allocUnsafe(chunkBytes), 0, chunkBytes);
      if (bytesRead === 0) break;
      chunks.push(buffer.subarray(0, bytesRead));
      length += bytesRead;
    }
    if (length > maxBytes) throw tooLarge({ path, what, maxBytes });
    return Buffer.concat(chunks);
  } catch (cause) {
    if (cause instanceof Trouble) throw cause;
    const message = `The ${what} ${path} cannot be read: ${reasonOf(cause)}.`;
    const remedy = codeOf(cause) === 'EACCES' ? 'Run this as a user who can read it.' : 'Check the path.';
    throw new Trouble({ code: 'file-unreadable', message, remedy, exitCode: 2, cause });
  }
}

/** Without waiting for the other end of a pipe, where none is meant. */
async function opened(path: string, isFile: boolean) {
  const file = await open(path, isFile ? constants.O_RDONLY | constants.O_NONBLOCK : 'r');
  return { file, [Symbol.asyncDispose]: () => file.close() };
}

function tooLarge({ path, what, maxBytes }: Pick<Required<ReadTextInput>, 'path' | 'what' | 'maxBytes'>): Trouble {
  const message = `The ${what} ${path} is larger than ${String(maxBytes / mebibyte)} MiB.`;
  return new Trouble({ code: 'file-too-large', message, remedy: 'Check that it is the right file.', exitCode: 2 });
}

function firstBadByte(bytes: Buffer): number {
  const text = bytes.toString('utf8');
  const at = text.indexOf('\ufffd');
  return Buffer.byteLength(text.slice(0, Math.max(0, at)), 'utf8');
}
