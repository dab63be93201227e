/** The port of a `listen`. */
export function portOf(endpoint = '80'): number {
  return Number(/^\d+$/.test(endpoint) ? endpoint : (/:(\d+)$/.exec(endpoint)?.[1] ?? 80));
}

/** One word of a configuration, and where it stands. @property quoted it stood in quotes, so that braces and semicolons are text */
export interface Word {
  text: string;
  file: string;
  line: number;
  quoted: boolean;
}

/** The words of what `nginx -T` prints, file by file, with quotes, comments and braces as nginx's own reader takes them. */
export function* wordsOf(text: string): Generator<Word> {
  let file = '';
  let first = 0;
  const lines = text.split('\n');
  for (const [index, line] of lines.entries()) {
    const header = /^# configuration file (.+):$/.exec(line);
    if (header !== null) {
      file = header[1] ?? '';
      first = index + 1;
      continue;
    }
    for (const match of line.matchAll(
      /#.*$|"((?:\\.|[^"\\])*)"|'((?:\\.|[^'\\])*)'|[{};]|(?:\$\{[^}]*\}|\\.|[^\s{};])+/g,
    )) {
      if (match[0].startsWith('#')) continue;
      const quoted = match[1] !== undefined || match[2] !== undefined;
      yield { text: match[1] ?? match[2] ?? match[0], file, line: index - first + 1, quoted };
    }
  }
}
