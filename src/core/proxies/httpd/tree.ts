import { filesRead, modulesIn, rootIn, textsIn } from './dump.ts';

/** A directive, or a section with what stands in it. @property name in small letters @property end the line on which it is closed */
export interface Directive {
  name: string;
  args: string[];
  file: string;
  line: number;
  end: number;
  block: Directive[] | null;
}

/** What httpd really reads: the directives of its main file, with those of included files where they are included, and without what its own conditions leave out. */
export function readTree(dump: string): Directive[] {
  const texts = textsIn(dump);
  const root = rootIn(dump);
  const modules = new Set(modulesIn(dump));
  const defined = new Map(
    [...dump.matchAll(/^Define: ([^=\s]+)(?:=(.*))?$/gm)].map(([, name = '', value = '']) => [name, value] as const),
  );
  const macros = new Map<string, Directive>();
  /** Files and macros that are being read; httpd takes none inside itself. */
  const open = new Set<string>();
  const once = (what: string, read: () => Directive[]): Directive[] => {
    if (open.has(what)) return [];
    open.add(what);
    const found = read();
    open.delete(what);
    return found;
  };
  const read = (file: string): Directive[] => once(file, () => settled(directivesOf(texts.get(file) ?? '', file)));
  const settled = (directives: readonly Directive[]): Directive[] =>
    directives.flatMap((one) => settle(filledIn(one, defined)));
  const settle = (one: Directive): Directive[] => {
    const [first = '', ...rest] = one.args;
    switch (one.name) {
      case 'define':
        defined.set(first, rest.join(' '));
        return [];
      case 'undefine':
        defined.delete(first);
        return [];
      case 'include':
      case 'includeoptional':
        return [...texts.keys()].filter(matcher(first, root)).flatMap(read);
      case 'ifmodule':
      case 'ifdefine': {
        const word = first.replace(/^!/, '');
        const holds = one.name === 'ifdefine' ? defined.has(word) : modules.has(moduleOf(word));
        return holds === first.startsWith('!') ? [] : settled(one.block ?? []);
      }
      case 'ifversion':
        return settled(one.block ?? []);
      case 'macro':
        macros.set(first.toLowerCase(), one);
        return [];
      case 'use':
        return once(`macro ${first.toLowerCase()}`, () => settled(played(macros.get(first.toLowerCase()), rest)));
      default:
        return [one.block === null ? one : { ...one, block: settled(one.block) }];
    }
  };
  return read(filesRead(dump)[0] ?? '');
}

/** `mod_ssl.c` and `ssl_module` are one. */
function moduleOf(word: string): string {
  return word.replace(/^mod_/, '').replace(/\.c$|_module$/, '');
}

/** What a macro stands for with these values (mod_macro). */
function played(macro: Directive | undefined, values: readonly string[]): Directive[] {
  if (macro === undefined) return [];
  const names = macro.args.slice(1).filter((name) => name !== '');
  const fill = (text: string): string =>
    names.reduce((filled, name, index) => filled.split(name).join(values[index] ?? name), text);
  const within = (one: Directive): Directive => ({
    ...one,
    args: one.args.map(fill),
    block: one.block?.map(within) ?? null,
  });
  return (macro.block ?? []).map(within);
}

function filledIn(one: Directive, defined: ReadonlyMap<string, string>): Directive {
  const fill = (text: string): string =>
    text.replace(/\$\{([^}]+)\}/g, (word, name: string) => defined.get(name) ?? word);
  return { ...one, args: one.args.map(fill) };
}

/** fnmatch(3), as far as it is written in practice; a folder stands for all below it. */
function matcher(pattern: string, root: string): (path: string) => boolean {
  const path = (pattern.startsWith('/') ? pattern : `${root}/${pattern}`).replace(/\/$/, '');
  const expression = path
    .replace(/[.+^${}()|\\]/g, '\\$&')
    .replace(/\*/g, '[^/]*')
    .replace(/\?/g, '[^/]');
  const regular = new RegExp(`^${expression}(?:/.*)?$`);
  return (file) => regular.test(file);
}

/** The directives of one file, as they stand there. */
export function directivesOf(text: string, file: string): Directive[] {
  const root: Directive[] = [];
  const open: Directive[] = [];
  const lines = text.split('\n');
  for (let index = 0; index < lines.length; index += 1) {
    const line = index + 1;
    let whole = lines[index] ?? '';
    while (whole.endsWith('\\') && index + 1 < lines.length)
      whole = `${whole.slice(0, -1)}${lines[(index += 1)] ?? ''}`;
    whole = whole.trim();
    if (whole === '' || whole.startsWith('#')) continue;
    if (whole.startsWith('</')) {
      const closed = open.pop();
      if (closed !== undefined) closed.end = line;
      continue;
    }
    const isSection = whole.startsWith('<');
    const [name = '', ...args] = wordsOf(isSection ? whole.slice(1).replace(/>\s*$/, '') : whole);
    const one: Directive = { name: name.toLowerCase(), args, file, line, end: index + 1, block: isSection ? [] : null };
    (open[open.length - 1]?.block ?? root).push(one);
    if (one.block !== null) open.push(one);
  }
  return root;
}

/** Words are parted by blanks; between quotes a backslash keeps the next quote. */
function wordsOf(line: string): string[] {
  return [...line.matchAll(/"((?:\\.|[^"\\])*)"|'((?:\\.|[^'\\])*)'|(\S+)/g)].map(([, double, single, bare]) =>
    bare === undefined ? (double ?? single ?? '').replace(/\\(["'\\])/g, '$1') : bare,
  );
}
