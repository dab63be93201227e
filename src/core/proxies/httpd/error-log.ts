import type { ErrorLog, LogReason } from '../program.ts';

const known: ReadonlyArray<[RegExp, LogReason]> = [
  [/AH01102|AH10284|error reading status line|Line too long/i, 'head'],
  [/DNS lookup failure|Name or service not known|AH00898/, 'name'],
  [/\(13\)Permission denied/, 'denied'],
  [/wrong version number|AH02004|AH01961|SSL Library Error/, 'plain'],
  [/\((?:111|113|101)\)/, 'dials'],
];

const longest = 300;

/** httpd writes time, module and level, process and client in brackets before its words, with a number of its own for each (its manual, "Log Files"). */
export const httpdErrorLog: ErrorLog = {
  usualPath: '/var/log/apache2/error.log',
  read: (line) => {
    const [, level = '', text] = /^\[[^\]]+\] \[[^\]:]*:(\w+)\] \[pid [^\]]+\] (.*)$/.exec(line.trim()) ?? [];
    if (text === undefined) return null;
    const client = /\[client ([0-9a-fA-F.:]+?)(?::\d+)?\]/.exec(text)?.[1] ?? null;
    const words = text.replace(/\[client [^\]]*\] /, '').replace(/\bAH\d{5}: /, '');
    const [, scheme, place] = /attempt to connect to (?:(https?):\/\/)?(\S+) \(/.exec(words) ?? [];
    return {
      words: words.slice(0, longest),
      isTalk: ['debug', 'info', 'notice'].includes(level) || level.startsWith('trace'),
      client,
      dialled: place === undefined ? null : `${scheme ?? 'http'}://${place}`,
      reason: known.find(([pattern]) => pattern.test(text))?.[1] ?? null,
    };
  },
};
