import pc from 'picocolors';
import wrapAnsi from 'wrap-ansi';

export type Style = ReturnType<typeof pc.createColors>;

/** Colour underlines what the words already say; without it nothing is lost. */
export function style(colour: boolean): Style {
  return pc.createColors(colour);
}

/** Wraps text to `width` columns and sets `indent` before each line but the first, which gets `first`. */
export function wrap(
  text: string,
  { width, first = '', indent = first }: { width: number; first?: string; indent?: string },
): string {
  const room = Math.max(30, Math.min(width, 110) - indent.length);
  return wrapAnsi(text, room, { hard: false })
    .split('\n')
    .map((line, index) => `${index === 0 ? first : indent}${line}\n`)
    .join('');
}

export function plural(count: number, one: string, many = `${one}s`): string {
  return `${String(count)} ${count === 1 ? one : many}`;
}
