import { wordsOf, type Word } from './words.ts';

/** One directive. @property end line of its last character @property block what stands in its braces; null without any */
export interface Directive {
  name: string;
  args: string[];
  file: string;
  line: number;
  end: number;
  block: Directive[] | null;
}

/** What nginx really reads, by its own dump: the directives of the main file, with those of included files where they are included. */
export function readTree(dump: string): Directive[] {
  const files = new Map<string, Word[]>();
  for (const word of wordsOf(dump)) {
    const words = files.get(word.file);
    if (words === undefined) files.set(word.file, [word]);
    else words.push(word);
  }
  const main = [...files.keys()][0] ?? '';
  const folder = main.slice(0, main.lastIndexOf('/'));
  const read = (file: string, depth: number): Directive[] => {
    const include = (pattern: string): Directive[] =>
      depth > 20
        ? []
        : [...files.keys()].filter(matcher(absolute(pattern, folder))).flatMap((one) => read(one, depth + 1));
    return spliced(directivesOf(files.get(file) ?? []), include);
  };
  return read(main, 0);
}

function absolute(path: string, folder: string): string {
  return path.startsWith('/') ? path : `${folder}/${path}`;
}

/** glob(7), as far as `include` is written in practice. */
function matcher(pattern: string): (path: string) => boolean {
  const expression = pattern
    .replace(/[.+^${}()|\\]/g, '\\$&')
    .replace(/\*/g, '[^/]*')
    .replace(/\?/g, '[^/]');
  const regular = new RegExp(`^${expression}$`);
  return (path) => regular.test(path);
}

function spliced(directives: readonly Directive[], include: (pattern: string) => Directive[]): Directive[] {
  return directives.flatMap((one) => {
    if (one.name === 'include') return include(one.args[0] ?? '');
    return one.block === null ? [one] : [{ ...one, block: spliced(one.block, include) }];
  });
}

/** The directives of one file, as they stand there. */
export function directivesOf(words: readonly Word[]): Directive[] {
  const root: Directive[] = [];
  const open: Directive[][] = [root];
  const owners: Directive[] = [];
  let current: Word[] = [];
  const take = (end: number, block: Directive[] | null): void => {
    const [name, ...args] = current;
    current = [];
    if (name === undefined) return;
    const one = { name: name.text, args: args.map(({ text }) => text), file: name.file, line: name.line, end, block };
    open[open.length - 1]?.push(one);
    if (block !== null) {
      open.push(block);
      owners.push(one);
    }
  };
  for (const word of words) {
    if (word.quoted || !['{', '}', ';'].includes(word.text)) current.push(word);
    else if (word.text === ';') take(word.line, null);
    else if (word.text === '{') take(word.line, []);
    else {
      open.pop();
      const owner = owners.pop();
      if (owner !== undefined) owner.end = word.line;
      current = [];
    }
  }
  return root;
}
