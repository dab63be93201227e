import { existsSync } from 'node:fs';
import { fileURLToPath } from 'node:url';

/** Path of a file of this program: beside the program itself, or a level or two above for tools of this tree. */
export function ownFile(name: string): string {
  const paths = ['./', '../', '../../'].map((up) => fileURLToPath(new URL(`${up}${name}`, import.meta.url)));
  return paths.find((path) => existsSync(path)) ?? name;
}

/** Words that run this program (node(1)). */
export function ownProgram(): string[] {
  return [process.execPath, ownFile('mile-marker.js')];
}
