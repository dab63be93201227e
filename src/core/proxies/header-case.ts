/** The usual spelling of a header's name, given in lower case. */
export function headerCase(name: string): string {
  return name
    .replace(/(^|-)([a-z])/g, (_, dash: string, letter: string) => dash + letter.toUpperCase())
    .replace('Ip', 'IP');
}
