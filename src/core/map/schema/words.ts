import * as z from 'zod';
import { parseHostName } from '../../names/host-name.ts';
import { parseAddress, parseNetwork } from '../../networks/address.ts';
import { durationForm, rateForm, sizeForm } from '../units.ts';

/**
 * The kinds of values that keys of the map have. The `error` of a schema says what it expects, as the second half of
 * "`key` expects ...".
 */

// A map is read once a run: making code for it would cost more than it saves.
z.config({ jitless: true });
export const wants = (expects: string) => ({ error: () => expects });

/** What a custom issue carries: which card speaks, which of its messages, and the data for it. */
export interface IssueWords {
  rule: 'map-value-wrong' | 'name-invalid';
  say: string;
  data?: Record<string, string>;
}

/** What the reference page says of a key. */
export interface KeyMeta extends Record<string, unknown> {
  description: string;
  example: string;
}

/** Makes sure that every key has its words. */
export const about = (description: string, example: string): KeyMeta => ({ description, example });

const portWords = 'a port from 1 to 65535';
export const port = z.int(wants(portWords)).min(1, wants(portWords)).max(65_535, wants(portWords));

/** One printable line: no control character can ever reach a file that is written from the map. */
export const text = (expects: string) =>
  z
    .string(wants(expects))
    .regex(/^[^\u0000-\u001f\u007f]+$/, wants(expects))
    // nginx reads words of at most 4096 bytes, and a dollar sign becomes the name of a variable there.
    .refine(
      (value) => value.length * 2 + 20 * value.split('$').length < 4000,
      wants(`${expects}, of at most 1900 letters`),
    );

export const flag = z.boolean(wants('true or false'));

export const duration = z
  .string(wants('a time with its unit, such as 90s, 15m, 2h or 30d'))
  .regex(durationForm, wants('a time with its unit, such as 90s, 15m, 2h or 30d'));

export const size = z
  .string(wants('a size with its unit, such as 10MiB'))
  .regex(sizeForm, wants('a size with its unit, such as 10MiB'));

export const rate = z
  .string(wants('requests per time, such as 20/s or 20/s burst 40'))
  .regex(rateForm, wants('requests per time, such as 20/s or 20/s burst 40'));

export const path = (expects: string) => text(expects);

/** A name that other parts of the map refer to. */
export const label = (expects: string) => z.string(wants(expects)).regex(/^[a-zA-Z0-9][\w.-]{0,62}$/, wants(expects));

export const hostName = z.string(wants('a host name')).superRefine((name, ctx) => {
  const result = parseHostName(name);
  if (result.ok) return;
  const words: IssueWords = { rule: 'name-invalid', say: result.problem, data: { name, text: result.text } };
  ctx.addIssue({ code: 'custom', message: result.problem, params: words });
});

export const addressLiteral = z
  .string(wants('an IPv4 or IPv6 address'))
  .refine((value) => parseAddress(value) !== null, wants('an IPv4 or IPv6 address'));

const networkWords = 'a network such as 192.168.64.0/24';
export const network = z
  .string(wants(networkWords))
  .refine((value) => parseNetwork(value) !== null, wants(networkWords));

/**
 * The name of a header, of the letters that every server takes for one: RFC 9110 §5.6.2 has more, among them `$`, which begins a
 * variable in some configurations, and `_`, which servers drop.
 */
export const headerName = (expects: string) =>
  z.string(wants(expects)).regex(/^[A-Za-z][0-9A-Za-z-]{0,63}$/, wants(expects));

/** A method of RFC 9110 §9 or the IANA HTTP Method Registry. */
export const methodName = (expects: string) =>
  z.string(wants(expects)).regex(/^[A-Za-z][A-Za-z-]{0,31}$/, wants(expects));

/** A prefix of paths in normal form: no `.` or `..` segment, `//`, `\`, `;`, `%`, query or blank. */
export const pathPrefix = z
  .string(wants('a path in normal form, such as /hooks/'))
  .regex(
    /^\/(?:(?!\.{1,2}(?:\/|$))[A-Za-z0-9._~!$&'()*+,=:@-]+(?:\/|$))*$/,
    wants('a path in normal form, such as /hooks/'),
  )
  .max(500, wants('a path in normal form, such as /hooks/'));

/** A list, of which one entry may be written without brackets. */
export const oneOrMany = <T extends z.ZodType>(item: T, expects: string, most = 10_000) =>
  z.preprocess(
    (value) => (Array.isArray(value) || value === undefined ? value : [value]),
    z.array(item, wants(expects)).min(1, wants(expects)).max(most, wants(expects)),
  );
