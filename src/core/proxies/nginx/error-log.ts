import type { ErrorLog, LogReason } from '../program.ts';

const known: ReadonlyArray<[RegExp, LogReason]> = [
  [/too big header/, 'head'],
  [/could not be resolved|no resolver defined/, 'name'],
  [/\(13: Permission denied\) while connecting/, 'denied'],
  [/SSL_do_handshake\(\) failed|wrong version number/, 'plain'],
  [/\(111: Connection refused\)|\(113: [^)]*\)|\(101: [^)]*\)/, 'dials'],
];

const longest = 300;

/**
 * nginx writes time, level, process and connection before its words, and behind them the visitor and the request (its manual, "Debugging
 * log"). Of all that the words and the address dialled are of use.
 */
export const nginxErrorLog: ErrorLog = {
  usualPath: '/var/log/nginx/error.log',
  read: (line) => {
    const [, level = '', text] = /^\S+ \S+ \[(\w+)\] \d+#\d+: (?:\*\d+ )?(.*)$/.exec(line.trim()) ?? [];
    if (text === undefined) return null;
    const end = text.search(/, (?:client|server|request|upstream): /);
    const bare = end === -1 ? text : text.slice(0, end);
    const dialled = /, upstream: "([a-z]+:\/\/[^/"]+)/.exec(text)?.[1] ?? null;
    return {
      words: (dialled === null ? bare : `${bare} (${dialled})`).slice(0, longest),
      isTalk: ['debug', 'info', 'notice'].includes(level),
      client: /\bclient: ([0-9a-fA-F.:]+),/.exec(text)?.[1] ?? null,
      dialled,
      reason: known.find(([pattern]) => pattern.test(text))?.[1] ?? null,
    };
  },
};
