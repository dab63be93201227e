import { existsSync } from 'node:fs';
import { readdir, readFile, stat } from 'node:fs/promises';
import { join } from 'node:path';
import { fileLine, listLine, listsIn, pairsIn } from '../../../core/proxies/haproxy/tree.ts';

/** The texts of what a haproxy is started with, in its order, and of the lists of names that they speak of; keys in files of their own are named alone. @throws of the file system */
export async function readFiles(paths: readonly string[]): Promise<string> {
  const files = (await Promise.all(paths.map(filesBelow))).flat();
  const texts = await Promise.all(files.map(async (path) => `${fileLine(path)}\n${await readFile(path, 'utf8')}\n`));
  const lists = listsIn(texts.join('')).filter((path) => path.startsWith('/'));
  const named = await Promise.all(
    lists.map(async (path) => `${listLine(path)}\n${await readFile(path, 'utf8').catch(() => '')}\n`),
  );
  const keys = pairsIn(texts.join('')).flatMap((path) =>
    existsSync(`${path}.key`) ? [`${listLine(`${path}.key`)}\n`] : [],
  );
  return [...texts, ...named, ...keys].join('');
}

/** Of a folder the files that end in `.cfg`, by name (haproxy(1), `-f`). */
async function filesBelow(path: string): Promise<string[]> {
  if (!(await stat(path)).isDirectory()) return [path];
  const names = (await readdir(path)).filter((name) => name.endsWith('.cfg') && !name.startsWith('.'));
  return names.sort((a, b) => (a < b ? -1 : 1)).map((name) => join(path, name));
}
