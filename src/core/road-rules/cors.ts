import * as z from 'zod';
import { webUrl } from '../names/web-url.ts';
import { about, duration, flag, headerName, methodName, oneOrMany, text, wants } from '../map/schema/words.ts';
import { parseDuration } from '../map/units.ts';
import { roadRule } from './rule.ts';

/** Who may use a road from pages of other origins (Fetch standard, CORS protocol). @property origins `*` alone means every one */
export interface Cors {
  origins: string[];
  methods: string[];
  headers: string[];
  credentials: boolean;
  maxAgeSeconds: number | null;
}

const schema = z.strictObject(
  {
    origins: oneOrMany(
      text('an origin such as https://www.saltmarsh.example, or *'),
      'an origin or a list of origins',
    ).meta(
      about(
        'Origins whose pages may ask (Fetch standard, CORS protocol). `*` means every one.',
        '[https://www.saltmarsh.example]',
      ),
    ),
    methods: oneOrMany(methodName('a method such as PUT'), 'a method or a list of methods', 30)
      .optional()
      .meta(about('Methods beyond GET, HEAD and POST that they may use.', '[PUT, DELETE]')),
    headers: oneOrMany(headerName('the name of a header'), 'a header or a list of headers', 50)
      .optional()
      .meta(about('Request headers that they may send.', '[X-Station]')),
    credentials: flag
      .default(false)
      .meta(about('Whether cookies and passwords may come along. Never with origin `*`.', 'true')),
    'max-age': duration.optional().meta(about('How long a browser may remember the answer.', '1h')),
  },
  wants('keys such as `origins`'),
);

export const cors = roadRule({
  key: 'cors',
  schema: schema
    .optional()
    .meta(about('Who may use this road from pages of other origins.', '{origins: [https://www.saltmarsh.example]}')),
  read: (written) => (written === undefined ? null : corsOf(written)),
  plan: (said) => said,
  document: z
    .strictObject({
      origins: z.array(z.string()),
      methods: z.array(z.string()),
      headers: z.array(z.string()),
      credentials: z.boolean(),
      maxAgeSeconds: z.number().nullable(),
    })
    .nullable(),
  shown: (planned) => planned?.origins.join(', ') ?? null,
});

function corsOf({ origins, methods, headers, credentials, 'max-age': maxAge }: z.output<typeof schema>): Cors {
  return {
    origins: origins.map((origin) => (origin === '*' ? '*' : (webUrl(origin)?.origin ?? origin))),
    methods: (methods ?? []).map((method) => method.toUpperCase()),
    headers: headers ?? [],
    credentials,
    maxAgeSeconds: maxAge === undefined ? null : parseDuration(maxAge),
  };
}
