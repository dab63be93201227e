import * as z from 'zod';
import { ruleKeys } from '../../road-rules/road-rules.ts';
import { about, flag, label, oneOrMany, path, pathPrefix, wants } from './words.ts';

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
    ...ruleKeys,
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
      .meta(about('Beside a `to` with https: accept any certificate. Always a warning.', 'true')),
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
    notes: z.string(wants('a text')).optional().meta(about('Your own notes.', 'ask the wardens before opening')),
  },
  wants('SERVICE:PORT, or keys such as `to` and `gate`'),
);

export const road = shortOr(roadKeys);
