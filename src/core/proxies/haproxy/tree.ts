/** A line of a configuration, in words. */
export interface Line {
  words: string[];
  file: string;
  line: number;
}

/** A section: its kind, its name if it has one, and its lines. */
export interface Section {
  kind: string;
  name: string;
  head: Line;
  lines: Line[];
}

/** Stands before the text of each file that it is started with, in their order. */
export function fileLine(path: string): string {
  return `# configuration file ${path}:`;
}

/** Stands before the text of a file with names that the configuration speaks of. */
export function listLine(path: string): string {
  return `# list ${path}:`;
}

/** Files with names (`map(FILE)`, `-f FILE` of an ACL) that a configuration speaks of. */
export function listsIn(text: string): string[] {
  return [
    ...new Set(
      [...text.matchAll(/\bmap(?:_str)?\(([^,)\s]+)|^\s*acl\s.*?\s-f\s+(\S+)/gm)].map(
        ([, map, acl]) => map ?? acl ?? '',
      ),
    ),
  ];
}

/** Pairs that a configuration speaks of, whose key may stand in a file beside (`FILE.key`). */
export function pairsIn(text: string): string[] {
  return [...new Set([...text.matchAll(/^\s*bind\s.*?\scrt\s+(\S+)/gm)].map(([, path = '']) => path))];
}

/** @property files in their order @property lists files with names, by their path */
export interface Parts {
  files: Array<{ path: string; text: string }>;
  lists: ReadonlyMap<string, string>;
}

export function partsOf(dump: string): Parts {
  const parts = dump.split(/^# (configuration file|list) (\/.+):$/m).slice(1);
  const found: Parts & { lists: Map<string, string> } = { files: [], lists: new Map() };
  for (let index = 0; index + 2 < parts.length; index += 3) {
    const [kind, path = '', text = ''] = parts.slice(index, index + 3);
    if (kind === 'list') found.lists.set(path, text);
    else found.files.push({ path, text });
  }
  return found;
}

const kinds =
  /^(global|defaults|frontend|listen|backend|userlist|peers|resolvers|program|http-errors|cache|mailers|ring|log-forward|fcgi-app)$/;

/** The sections of all files (configuration manual §2.1); a section ends where the next begins. */
export function sectionsOf(files: Parts['files']): Section[] {
  const found: Section[] = [];
  for (const { path, text } of files) {
    let current: Section | null = null;
    text.split('\n').forEach((whole, index) => {
      const words = wordsOf(whole.replace(/\r$/, ''));
      const [kind = '', name = ''] = words;
      if (kind === '' || kind.startsWith('.')) return;
      const line = { words, file: path, line: index + 1 };
      if (kinds.test(kind)) {
        current = { kind, name, head: line, lines: [] };
        found.push(current);
      } else current?.lines.push(line);
    });
  }
  return found;
}

/** Words as haproxy reads them (§2.2): blanks part them; quotes and backslashes keep what they hold; `#` begins a comment. */
function wordsOf(line: string): string[] {
  const words: string[] = [];
  let word: string | null = null;
  let quote = '';
  for (let index = 0; index < line.length; index += 1) {
    const one = line.charAt(index);
    if (quote !== '' && one === quote) quote = '';
    else if (quote === '' && (one === '"' || one === "'")) {
      quote = one;
      word ??= '';
    } else if (one === '\\' && quote !== "'") word = `${word ?? ''}${line.charAt((index += 1))}`;
    else if (quote === '' && one === '#') break;
    else if (quote === '' && /\s/.test(one)) {
      if (word !== null) words.push(word);
      word = null;
    } else word = `${word ?? ''}${one}`;
  }
  return word === null ? words : [...words, word];
}
