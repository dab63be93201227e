import { proxyNames } from '../../src/core/proxies/names.ts';
import type { Does, Row } from './row.ts';

const html = { 'content-type': 'text/html' };
const listed = '<ul><li>one<li>two<li>three<li>four<li>five<li>six<li>seven</ul>';
const body = `<title>Nest camera</title>${listed}`;
const says = (headers: Record<string, string | string[]>, text = body, answers = 200): Does => ({
  answers,
  headers: { ...html, ...headers },
  body: text,
});
const inLanguage = (language: string): Does => ({
  answers: 302,
  headers: { location: `/${language}/`, vary: 'accept-language' },
});

/** Services that are well and do not look it, each with what makes it odd. */
const odd: Array<[string, Partial<Row>]> = [
  [
    '405 at its first page',
    {
      service: {
        does: {
          when: { target: '^/$' },
          then: says({ allow: 'POST' }, 'POST only', 405),
          otherwise: says({}, 'no', 404),
        },
      },
    },
  ],
  ['418 at its first page', { service: { does: says({}, 'a teapot', 418) } }],
  [
    'the first byte after four seconds',
    { service: { does: { slowly: 4000, then: 'page' } }, argv: ['--timeout', '15s'] },
  ],
  [
    'answers that count',
    {
      service: { does: says({ 'x-visit': '{time}', etag: '"{time}"' }, `<title>Visit {time}</title>${listed}{time}`) },
    },
  ],
  [
    'a redirect by language',
    {
      service: {
        does: {
          when: { target: '^/$' },
          then: { when: { has: ['accept-language', 'fy'] }, then: inLanguage('fy'), otherwise: inLanguage('en') },
          otherwise: 'page',
        },
      },
    },
  ],
  ['HTTP/1.0', { service: { raw: 'http10' } }],
  [
    'JSON with a number that grows',
    { service: { does: says({ 'content-type': 'application/json' }, '{"tide": "{time}", "unit": "ns"}') } },
  ],
  [
    'a picture in place of a page',
    { service: { does: says({ 'content-type': 'image/png' }, '\u0089PNG\r\n\u001a\nnothing') } },
  ],
  [
    '401 with two ways to log in',
    { service: { does: says({ 'www-authenticate': ['Basic realm="camera"', 'Bearer'] }, 'who are you', 401) } },
  ],
  [
    '406 without a language',
    {
      service: {
        does: { when: { has: ['accept-language', '.'] }, then: 'page', otherwise: says({}, 'in no language', 406) },
      },
    },
  ],
  ['300 choices', { service: { does: says({}, '<a href="/one">one</a>', 300) } }],
  ['410 at its first page', { service: { does: says({}, 'moved away for good', 410) } }],
  ['451 at its first page', { service: { does: says({}, 'not in this country', 451) } }],
  [
    'a session that is new each time',
    { service: { does: says({ 'set-cookie': 'session={time}; Path=/; Secure; HttpOnly; SameSite=Lax' }) } },
  ],
  ['no Content-Type', { service: { does: { answers: 200, body } } }],
  ['a page whose end changes', { service: { does: says({}, `${body}${'<p>tern'.repeat(200)}{time}`) } }],
  ['a refresh by header', { service: { does: says({ refresh: '300' }) } }],
  [
    'a weak mark and a date',
    { service: { does: says({ etag: 'W/"june"', 'last-modified': 'Mon, 01 Jun 2026 10:00:00 GMT' }) } },
  ],
];

const byHand: Array<[string, Partial<Row>]> = [
  ['by hand for nginx', { nginx: {} }],
  ['by hand for httpd', { httpd: {} }],
  ['by hand for haproxy', { haproxy: {} }],
];
const fronts = [...proxyNames.map((own): [string, Partial<Row>] => [own, { own }]), ...byHand];
const longHeads = Object.fromEntries(
  ['a', 'b', 'c', 'd', 'e', 'f'].map((name) => [`x-notes-${name}`, 'n'.repeat(5000)]),
);

export const oddRows: Row[] = [
  ...odd.flatMap(([name, rest]) =>
    fronts.map(([front, which]): Row => ({ name: `${name}: ${front}`, rule: null, ...rest, ...which })),
  ),
  // A front made by hand takes less, which is a fault of its own.
  ...proxyNames.map((own): Row => ({
    name: `30 KB of headers: ${own}`,
    rule: null,
    own,
    service: { does: says(longHeads) },
  })),
];
