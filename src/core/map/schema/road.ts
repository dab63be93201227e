import * as z from 'zod';
import {
  about,
  duration,
  flag,
  headerName,
  label,
  methodName,
  oneOrMany,
  path,
  pathPrefix,
  rate,
  size,
  text,
  wants,
} from './words.ts';

const to = z.string(wants('SERVICE:PORT, :PORT or a URL'));
const redirect = z.string(wants('a URL with http:// or https://'));

const pathKeys = z.strictObject(
  {
    to: to.optional().meta(about('The service for this part of the road.', 'bird-log:8080')),
    redirect: z
      .string(wants('a URL, or a path that begins with /'))
      .optional()
      .meta(about('Where this part sends visitors instead: a URL, or another path of this road.', '/dav/')),
  },
  wants('SERVICE:PORT, or `to` or `redirect`'),
);

const shortOr = <T extends z.ZodType>(keys: T) =>
  z.preprocess((value) => (typeof value === 'string' ? { to: value } : value), keys);

const cors = z.strictObject(
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

const expect = z.strictObject(
  {
    path: pathPrefix.default('/').meta(about('What `verify` asks for.', '/live')),
    status: z
      .int(wants('a status from 200 to 599'))
      .min(200, wants('a status from 200 to 599'))
      .max(599, wants('a status from 200 to 599'))
      .optional()
      .meta(about('The status that must come back.', '204')),
    text: text('a text').optional().meta(about('A text that the answer must contain.', 'Nest camera')),
    websocket: flag.default(false).meta(about('Whether it must answer a WebSocket upgrade.', 'true')),
  },
  wants('keys such as `path`'),
);

const roadKeys = z.strictObject(
  {
    to: to
      .optional()
      .meta(
        about(
          'The service: SERVICE:PORT as in compose (the inside port), PROJECT/SERVICE:PORT, :PORT of this machine, or a URL.',
          'bird-log:8080',
        ),
      ),
    redirect: redirect
      .optional()
      .meta(about('Where visitors are sent instead; path and query are kept.', 'https://www.saltmarsh.example')),
    permanent: flag.optional().meta(about('Beside `redirect`: 308 instead of 307.', 'true')),
    folder: path('the path of a folder')
      .optional()
      .meta(about('A folder of static files: index.html, no listing, dotfiles 404, no symbolic links.', './site')),
    gate: oneOrMany(
      label('the name of a gate'),
      'the name of a gate, or a list of at most five, which all must let one pass',
      5,
    )
      .default(['home'])
      .meta(about('Who may pass. `home` unless you say otherwise: opening is a deliberate act.', 'everyone')),
    paused: flag
      .default(false)
      .meta(about('Switched off for a while: visitors get 503, and the road stays on the map.', 'true')),
    certificate: label('the name of a certificate')
      .optional()
      .meta(about('Which of `certificates` to show. Without it the best that covers the name.', 'marsh')),
    methods: oneOrMany(methodName('a method such as GET'), 'a method or a list of methods', 30)
      .optional()
      .meta(about('Allowed methods; others get 405.', '[GET, HEAD]')),
    rate: rate
      .optional()
      .meta(
        about(
          'Requests that one address may make; more get 429. Without it 20/s burst 100 where a gate has people, else none.',
          '20/s burst 40',
        ),
      ),
    'body-limit': size
      .optional()
      .meta(about('Longest request body; longer ones get 413. No limit without it.', '10MiB')),
    timeout: duration.optional().meta(about('How long the service may be silent before visitors get 504.', '5m')),
    plain: flag.optional().meta(about('Also served on plain HTTP, not redirected. Always a warning.', 'true')),
    hsts: z
      .union([z.enum(['on', 'off', 'forget']), duration], wants('on, off, forget, or a time such as 180d'))
      .optional()
      .meta(
        about(
          'Strict-Transport-Security (RFC 6797): `on` is 180d; `forget` sends max-age=0. Without it one day, and nothing with practice certificates, another outside port than 443, or `plain`.',
          'on',
        ),
      ),
    'response-headers': z
      .record(headerName('the name of a header'), text('a text on one line'), wants('headers with their values'))
      .optional()
      .meta(
        about(
          'Headers that every answer gets. They replace headers of the same name from the service.',
          '{X-Robots-Tag: noindex}',
        ),
      ),
    'security-headers': z
      .enum(['basic', 'strict', 'off'], wants('basic, strict or off'))
      .optional()
      .meta(
        about(
          'A set of headers that protect visitors; what the service itself sends under their names stays. `basic` unless you say otherwise.',
          'basic',
        ),
      ),
    cors: cors
      .optional()
      .meta(about('Who may use this road from pages of other origins.', '{origins: [https://www.saltmarsh.example]}')),
    'upstream-ca': path('the path of a PEM file')
      .optional()
      .meta(about("Beside a `to` with https: the authority that signed the service's certificate.", 'station-ca.pem')),
    'upstream-pin': z
      .string(wants('44 characters of base64, and nothing before them'))
      .regex(/^[A-Za-z0-9+/]{43}=$/, wants('44 characters of base64, and nothing before them'))
      .optional()
      .meta(
        about(
          "Beside a `to` with https: the SHA-256 digest of the service's public key in base64 (RFC 7469 §2.4).",
          'AAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAA=',
        ),
      ),
    'upstream-insecure': flag
      .optional()
      .meta(about('Beside a `to` with https: accept whoever answers. Always a warning.', 'true')),
    'upstream-host': z
      .string(wants('a host name, with a port if need be'))
      .regex(/^[A-Za-z0-9]([A-Za-z0-9.-]{0,251}[A-Za-z0-9])?(:\d{1,5})?$/, wants('a host name, with a port if need be'))
      .optional()
      .meta(
        about(
          'Host header that the service gets, and with https the name its certificate must carry. Without it the name of the road.',
          'station.internal',
        ),
      ),
    paths: z
      .record(pathPrefix, shortOr(pathKeys), wants('paths with where they lead'))
      .optional()
      .meta(about('Parts of the road that lead elsewhere; the longest prefix wins.', '{/api: bird-log:8080}')),
    log: z
      .union([flag, path('the path of a file')], wants('true, false, or the path of a file'))
      .optional()
      .meta(
        about(
          'Whether and where requests are logged, in the combined format. `true` is .mile-marker/logs/NAME.log; in a container its own output.',
          'true',
        ),
      ),
    'meant-so': oneOrMany(label('the id of a finding'), 'the id of a finding, or a list of ids')
      .optional()
      .meta(about('Warnings about this road that you accept; they are not shown.', 'console-open-to-everyone')),
    notes: z.string(wants('a text')).optional().meta(about('Your own notes.', 'ask the wardens before opening')),
    expect: expect
      .optional()
      .meta(about('What `verify` must find at the end of the road.', '{path: /live, websocket: true}')),
  },
  wants('SERVICE:PORT, or keys such as `to` and `gate`'),
);

export const road = shortOr(roadKeys);
