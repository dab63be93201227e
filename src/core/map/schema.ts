import * as z from 'zod';
import { parseAddress, parseNetwork } from '../networks/address.ts';
import { parseHostName } from '../names/host-name.ts';

/**
 * The map: the one definition of every key, its type, default and words. Everything else (types, error texts, the list
 * of known keys) is read from here. What one value alone can prove is checked here; what needs two is in `normalize.ts`.
 *
 * The `error` of a schema says what it expects, as the second half of "`key` expects ...".
 */

const wants = (expects: string) => ({ error: () => expects });

/** What a custom issue carries: which card speaks, which of its messages, and the data for it. */
export interface IssueWords {
  rule: 'map-value-wrong' | 'name-invalid';
  say: string;
  data?: Record<string, string>;
}

const port = z
  .int(wants('a port from 1 to 65535'))
  .min(1, wants('a port from 1 to 65535'))
  .max(65_535, wants('a port from 1 to 65535'));

const portPair = (http: number, https: number) =>
  z
    .strictObject(
      {
        http: port.default(http).meta({ description: 'TCP port for plain HTTP.' }),
        https: port.default(https).meta({ description: 'TCP port for HTTPS.' }),
      },
      wants('{http: PORT, https: PORT}'),
    )
    .superRefine((pair, ctx) => {
      if (pair.http === pair.https) {
        const words: IssueWords = { rule: 'map-value-wrong', say: 'ports-equal', data: { text: String(pair.http) } };
        ctx.addIssue({ code: 'custom', message: 'equal', params: words });
      }
    });

const hostName = z.string(wants('a host name')).superRefine((text, ctx) => {
  const result = parseHostName(text);
  if (result.ok) return;
  const words: IssueWords = { rule: 'name-invalid', say: result.problem, data: { name: text, text: result.text } };
  ctx.addIssue({ code: 'custom', message: result.problem, params: words });
});

const oneOrMany = <T extends z.ZodType>(item: T, expects: string) =>
  z.preprocess(
    (value) => (Array.isArray(value) || value === undefined ? value : [value]),
    z.array(item, wants(expects)).min(1, wants(expects)),
  );

const address = z.union(
  [
    z.string().refine((text) => parseAddress(text) !== null || parseHostName(text).ok),
    z.strictObject({ interface: z.string().min(1) }),
  ],
  wants('an IPv4 or IPv6 address, a host name, or {interface: NAME}'),
);

const network = z
  .string(wants('a network such as 192.168.64.0/24'))
  .refine((text) => parseNetwork(text) !== null, wants('a network such as 192.168.64.0/24'));

const unknown = z.union(
  [z.enum(['refuse', 'not-found']), z.strictObject({ redirect: z.string() })],
  wants('refuse, not-found, or {redirect: URL}'),
);

const mark = z
  .string(wants('a loopback address and a port, such as 127.0.0.1:9180'))
  .refine(
    (text) =>
      /^127(\.\d{1,3}){3}:\d{1,5}$/.test(text) &&
      parseAddress(text.split(':')[0] ?? '') !== null &&
      Number(text.split(':')[1]) <= 65_535 &&
      Number(text.split(':')[1]) > 0,
    wants('a loopback address and a port, such as 127.0.0.1:9180'),
  );

const front = z.strictObject(
  {
    address: oneOrMany(address, 'an address or a list of addresses').meta({
      description: 'The one public address: literals, a name, or the address of an interface.',
      example: '[203.0.113.24, "2001:db8:40::24"]',
    }),
    'home-networks': oneOrMany(network, 'a network or a list of networks').optional().meta({
      description:
        'What the gate `home` means. Default: loopback and the on-link networks of this host, without container networks.',
      example: '[192.168.64.0/24]',
    }),
    ports: portPair(80, 443)
      .prefault({})
      .meta({ description: 'The ports as visitors see them.', example: '{http: 80, https: 443}' }),
    listen: z
      .strictObject({ http: port.optional(), https: port.optional() }, wants('{http: PORT, https: PORT}'))
      .optional()
      .meta({
        description: 'The ports as this machine sees them, when a router translates. Without it: `front.ports`.',
        example: '{http: 8080, https: 8443}',
      }),
    proxy: z
      .enum(['builtin', 'nginx'], wants('builtin or nginx'))
      .default('builtin')
      .meta({ description: 'The server program that answers at the front.', example: 'nginx' }),
    mark: mark
      .default('127.0.0.1:9180')
      .meta({ description: 'Loopback listener that answers the generation mark.', example: '127.0.0.1:9180' }),
    unknown: unknown.default('refuse').meta({
      description:
        'What a request for a name that is not on the map gets. A name that no certificate covers is always refused.',
      example: 'not-found',
    }),
  },
  wants('keys such as `address` and `proxy`'),
);

const roadKeys = z.strictObject(
  {
    to: z.string(wants('SERVICE:PORT, :PORT or a URL')).optional().meta({
      description: 'The service: SERVICE:PORT as in compose (the inside port), :PORT of this host, or a URL.',
      example: 'bird-log:8080',
    }),
    redirect: z.string(wants('a URL with http:// or https://')).optional().meta({
      description: 'Where visitors are sent instead; path and query are kept.',
      example: 'https://www.saltmarsh.example',
    }),
    permanent: z
      .boolean(wants('true or false'))
      .optional()
      .meta({ description: 'Beside `redirect`: 308 instead of 307.', example: 'true' }),
    gate: z.enum(['everyone', 'home'], wants('everyone or home')).default('home').meta({
      description: 'Who may pass. `home` unless you say otherwise: opening is a deliberate act.',
      example: 'everyone',
    }),
    paused: z.boolean(wants('true or false')).default(false).meta({
      description: 'Taken off for a while: visitors get 503, and the road stays on the map.',
      example: 'true',
    }),
  },
  wants('SERVICE:PORT, or keys such as `to` and `gate`'),
);

const road = z.preprocess((value) => (typeof value === 'string' ? { to: value } : value), roadKeys);

export const mapSchema = z.strictObject(
  {
    domains: oneOrMany(hostName, 'a domain or a list of domains').meta({
      description: 'Your domains. Short road names belong to the first.',
      example: '[saltmarsh.example, reedbed.example]',
    }),
    front: front.meta({ description: 'The public side.', example: '{address: 203.0.113.24}' }),
    compose: oneOrMany(
      z.string(wants('the path of a Compose file')).min(1, wants('the path of a Compose file')),
      'a path or a list of paths',
    )
      .optional()
      .meta({ description: 'Compose files, relative to the map; several are merged.', example: '[compose.yaml]' }),
    roads: z
      .preprocess((value) => value ?? {}, z.record(z.string(), road, wants('names with where they lead')))
      .meta({
        description:
          'One public name each, and where it leads. A key that ends in one of `domains`, or with a dot, is the full name; any other is short and belongs to the first.',
        example: '{sightings: bird-log:8080}',
      }),
  },
  wants('keys with values'),
);

export type MapKeys = z.output<typeof mapSchema>;

/** One key as a person reads about it. `byDefault` is null when there is no default. */
export interface KeyPage {
  path: string;
  expects: string;
  byDefault: string | null;
  description: string;
  example: string;
}

/** Every key of the map, in its order, for the reference page. */
export function describeKeys(): KeyPage[] {
  const groups: ReadonlyArray<readonly [string, Record<string, z.ZodType>]> = [
    ['', mapSchema.shape],
    ['front.', front.shape],
    ['roads.NAME.', roadKeys.shape],
  ];
  return groups.flatMap(([parent, shape]) =>
    Object.entries(shape).map(([key, schema]) => describeKey(`${parent}${key}`, schema)),
  );
}

function describeKey(path: string, schema: z.ZodType): KeyPage {
  const { description = '', example = '' } = schema.meta() ?? {};
  // No key takes an empty list.
  const wrong = schema.safeParse([]);
  const missing = schema.safeParse(undefined);
  const known = missing.success && missing.data !== undefined && path !== 'roads';
  return {
    path,
    expects: wrong.error?.issues[0]?.message ?? '',
    byDefault: known ? asYaml(missing.data) : null,
    description,
    example: String(example),
  };
}

function asYaml(value: unknown): string {
  if (typeof value !== 'object' || value === null) return String(value);
  return `{${Object.entries(value)
    .map(([key, part]) => `${key}: ${String(part)}`)
    .join(', ')}}`;
}

/** The keys known at a path of the map, for "did you mean". Empty where keys are free (below `roads`). */
export function knownKeys(path: readonly PropertyKey[]): string[] {
  if (path.length === 0) return Object.keys(mapSchema.shape);
  if (path[0] === 'front') {
    if (path.length === 1) return Object.keys(front.shape);
    return path[1] === 'ports' || path[1] === 'listen' ? ['http', 'https'] : [];
  }
  return path[0] === 'roads' && path.length === 2 ? Object.keys(roadKeys.shape) : [];
}
