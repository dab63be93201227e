/** A text as one word of a POSIX shell (XCU §2.2), for commands that people copy and for scripts: bare where that is safe, else in quotes. */
export function shellWord(text: string): string {
  return /^[\w./-]+$/.test(text) ? text : `'${text.replaceAll("'", `'\\''`)}'`;
}
