import { open } from 'node:fs/promises';

/** The last part of a text file, from the beginning of a line on. @param most bytes */
export async function readEnd(path: string, most = 64 * 1024): Promise<string> {
  const file = await open(path, 'r');
  try {
    const { size } = await file.stat();
    const from = Math.max(0, size - most);
    const { buffer, bytesRead } = await file.read(Buffer.alloc(Math.min(size, most)), 0, Math.min(size, most), from);
    const text = buffer.subarray(0, bytesRead).toString('utf8');
    return from === 0 ? text : text.slice(text.indexOf('\n') + 1);
  } finally {
    await file.close();
  }
}
