/**
 * Words for what starts programs by itself. One way to quote for each; a line end or another control character can stand in none of them.
 *
 * @throws RangeError for a word that cannot be written there
 */

/** systemd.service(5), "Command lines": quotes, and its own percent and dollar signs doubled. */
export function unitWord(word: string): string {
  return `"${plain(word)
    .replace(/([\\"])/g, '\\$1')
    .replace(/%/g, '%%')
    .replace(/\$/g, '$$$$')}"`;
}

/** A path of a list in a unit (systemd.syntax(7)): percent signs doubled; quotes where there is a blank. */
export function unitPath(path: string): string {
  const word = plain(path).replace(/%/g, '%%');
  return /[\s"'\\]/.test(word) ? `"${word.replace(/([\\"])/g, '\\$1')}"` : word;
}

/** A word of the shell in a line of crontab(5), where a bare percent sign ends the command. */
export function cronWord(word: string): string {
  return `'${plain(word).replace(/'/g, `'\\''`).replace(/%/g, '\\%')}'`;
}

/** What a machine without systemd is told for its start. */
export function cronAtBoot(words: readonly string[]): string {
  return `@reboot ${words.map(cronWord).join(' ')}`;
}

function plain(word: string): string {
  if (/[\u0000-\u001f\u007f]/.test(word))
    throw new RangeError(`${JSON.stringify(word)} has a character that systemd units and crontabs do not allow`);
  return word;
}
