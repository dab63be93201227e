/**
 * What stands in a line of the front's error log: nginx writes time, level, process and connection before its words, and behind them
 * the visitor and the request (its manual, "Debugging log"). Of all that the words and the address dialled are of use.
 */
export function logEssence(line: string): string {
  const words = /^\S+ \S+ \[\w+\] \d+#\d+: (?:\*\d+ )?(.*)$/.exec(line.trim())?.[1];
  if (words === undefined) return line.trim().slice(0, longest);
  const dialled = dialledIn(words);
  const end = words.search(/, (?:client|server|request|upstream): /);
  const bare = end === -1 ? words : words.slice(0, end);
  return (dialled === null ? bare : `${bare} (${dialled})`).slice(0, longest);
}

const longest = 300;

/** Lines that are no more than talk, such as that a visitor went away. */
export function isTalk(line: string): boolean {
  return /^\S+ \S+ \[(debug|info|notice)\] /.test(line);
}

/** `say` of the card that knows what to do, by what nginx says when it cannot get to a service. */
const known: ReadonlyArray<[RegExp, 'head' | 'name' | 'denied' | 'plain' | 'dials']> = [
  [/too big header/, 'head'],
  [/could not be resolved|no resolver defined/, 'name'],
  [/\(13: Permission denied\) while connecting/, 'denied'],
  [/SSL_do_handshake\(\) failed|wrong version number/, 'plain'],
  [/\(111: Connection refused\)|\(113: [^)]*\)|\(101: [^)]*\)/, 'dials'],
];

/**
 * Why the front did not get to the service, as its log has it, and what it dialled; null when it says nothing known.
 *
 * @param upstream host and port of the service, as the map has it
 */
export function reasonInLog(
  line: string | null,
  upstream: string,
): { say: (typeof known)[number][1]; dialled: string } | null {
  const found = known.find(([pattern]) => line !== null && pattern.test(line));
  if (line === null || found === undefined) return null;
  const [, say] = found;
  const dialled = dialledIn(line) ?? 'another place';
  // The right place, which is there for this machine and not for the front: it runs elsewhere.
  return say === 'dials' && dialled.endsWith(`//${upstream}`) ? null : { say, dialled };
}

function dialledIn(text: string): string | null {
  return /, upstream: "([a-z]+:\/\/[^/"]+)/.exec(text)?.[1] ?? null;
}
