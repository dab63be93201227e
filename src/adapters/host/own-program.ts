import { existsSync } from 'node:fs';
import { fileURLToPath } from 'node:url';

/** Path of a file of this program, whichever chunk asks: beside the chunks, or a level above for tools of this tree. */
export function ownFile(name: string): string {
  const [beside = '', above = ''] = ['../', '../../'].map((up) =>
    fileURLToPath(new URL(`${up}${name}`, import.meta.url)),
  );
  return existsSync(beside) ? beside : above;
}

/** Words that run this program (node(1)). */
export function ownProgram(): string[] {
  return [process.execPath, ownFile('mile-marker.js')];
}
