import * as z from 'zod';
import { webUrl } from '../../names/web-url.ts';
import { about, duration, flag, hostName, oneOrMany, path, text, wants } from './words.ts';

const url = (expects: string) =>
  z
    .string(wants(expects))
    .regex(/^https:\/\/[^\s/]+(\/\S*)?$/, wants(expects))
    .refine((text) => webUrl(text) !== null, wants(expects));

const from = z.union(
  [
    z.enum(['practice', 'acme']),
    z.strictObject({ files: z.strictObject({ certificate: z.string().min(1), key: z.string().min(1) }) }),
  ],
  wants('practice, acme, or {files: {certificate: FILE, key: FILE}}'),
);

export const certificate = z.strictObject(
  {
    names: oneOrMany(hostName, 'a name or a list of names').meta(about('Names that it covers.', '[saltmarsh.example]')),
    wildcard: flag
      .default(false)
      .meta(about('Adds `*.NAME` for each of them (one label only, RFC 9525 §6.3).', 'true')),
    from: from
      .optional()
      .meta(about('Where it comes from. Without it: acme when the map has `acme`, else practice.', 'acme')),
    key: z.enum(['ec', 'rsa'], wants('ec or rsa')).default('ec').meta(about('Kind of its key.', 'ec')),
  },
  wants('keys such as `names`'),
);

const externalAccount = z.strictObject(
  {
    id: text('the id that the authority gave you').meta(
      about('The id that the authority gave you (RFC 8555 §7.3.4).', 'kid-1'),
    ),
    key: path('the path of a file').meta(about('File with the key that came with it, in base64url.', 'external.key')),
  },
  wants('{id: TEXT, key: FILE}'),
);

export const acme = z.strictObject(
  {
    directory: z
      .union(
        [z.enum(['staging', 'production']), url('staging, production, or a URL with https://')],
        wants('staging, production, or a URL with https://'),
      )
      .default('staging')
      .meta(about('The authority (RFC 8555 §7.1.1). Staging proves the way first.', 'staging')),
    root: path('the path of a PEM file')
      .optional()
      .meta(about('What to trust when the directory is a URL of your own.', 'root.pem')),
    contact: z
      .string(wants('an e-mail address'))
      .regex(/^[^\s@:]+@[^\s@]+\.[^\s@]+$/, wants('an e-mail address'))
      .optional()
      .meta(about('Where the authority may write to. Optional in the protocol.', 'keeper@saltmarsh.example')),
    'external-account': externalAccount
      .optional()
      .meta(about('For authorities that want an account of theirs bound to yours.', '{id: kid-1, key: external.key}')),
    challenge: z
      .enum(['http', 'dns'], wants('http or dns'))
      .default('http')
      .meta(about('How you prove that a name is yours. A wildcard needs `dns`.', 'dns')),
  },
  wants('keys such as `directory`'),
);

const updateUrlWords = 'an https URL without login, hostname and myip, such as https://names.example/update';

/** In clear text only where nobody listens in: on this machine. */
function isUpdateUrl(text: string): boolean {
  if (!URL.canParse(text) || !/^[!-~]+$/.test(text)) return false;
  const { protocol, hostname, username, password, searchParams, hash } = new URL(text);
  const secure = protocol === 'https:' || (protocol === 'http:' && /^127\.|^\[::1\]$/.test(hostname));
  const bare = username === '' && password === '' && hash === '';
  return secure && bare && !searchParams.has('hostname') && !searchParams.has('myip');
}

const serverWords = wants('an address and a port, such as 192.168.64.3:53');

const addressFrom = z.union(
  [
    z.strictObject({ interface: text('the name of an interface') }),
    z.strictObject({ stun: text('a server and a port').regex(/^[^\s:]+:\d{1,5}$|^\[[0-9a-fA-F:]+\]:\d{1,5}$/) }),
    z.strictObject({ program: z.array(text('a text')).min(1) }),
  ],
  wants('{interface: NAME}, {stun: SERVER:PORT} or {program: [PROGRAM]}'),
);

export const dns = z.strictObject(
  {
    server: z
      .string(serverWords)
      .regex(/^(\d{1,3}(\.\d{1,3}){3}|\[[0-9a-fA-F:]+\])(:\d{1,5})?$/, serverWords)
      .optional()
      .meta(about('Name server that takes DNS UPDATE (RFC 2136).', '192.168.64.3:53')),
    key: path('the path of a TSIG key file')
      .optional()
      .meta(about('File with the TSIG key (RFC 8945) that signs updates.', 'tsig-marsh.key')),
    program: z
      .array(text('a text'), wants('a list: the program and what it is given'))
      .min(1, wants('a list: the program and what it is given'))
      .optional()
      .meta(about('A program that publishes records, run without a shell.', '[./publish-record]')),
    'update-url': z
      .string(wants(updateUrlWords))
      .refine(isUpdateUrl, wants(updateUrlWords))
      .optional()
      .meta(
        about(
          "Where a service for dynamic names is told the front's address (`GET URL?hostname=NAME&myip=ADDRESS`), for a name whose zone takes no signed updates.",
          'https://names.example/update',
        ),
      ),
    'update-login': path('the path of a file with NAME:PASSWORD')
      .optional()
      .meta(about('File with NAME:PASSWORD for `update-url`, which nobody else may read.', 'dynamic-names.login')),
    'address-from': addressFrom
      .optional()
      .meta(
        about(
          'How `dns update-address` learns an address that changes: from an interface of this machine, from a STUN server (RFC 8489), or from a program that prints it.',
          '{stun: "192.0.2.7:3478"}',
        ),
      ),
    style: z
      .enum(['aliases', 'addresses', 'wildcard'], wants('aliases, addresses or wildcard'))
      .default('aliases')
      .meta(
        about(
          'Style of the records: one address record and aliases to it, an address record for each name, or one wildcard record.',
          'aliases',
        ),
      ),
    ttl: duration
      .default('1h')
      .meta(about('How long others may remember a record. Lower it a day before an address moves.', '5m')),
  },
  wants('keys such as `server` and `key`'),
);
