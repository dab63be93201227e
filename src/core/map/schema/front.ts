import * as z from 'zod';
import { parseHostName } from '../../names/host-name.ts';
import { parseAddress } from '../../networks/address.ts';
import { proxyNames } from '../../proxies/names.ts';
import { about, addressLiteral, label, network, oneOrMany, port, headerName, wants, type IssueWords } from './words.ts';

const portPair = (http: number, https: number) =>
  z
    .strictObject(
      {
        http: port.default(http).meta(about('TCP port for plain HTTP.', String(http))),
        https: port.default(https).meta(about('TCP port for HTTPS.', String(https))),
      },
      wants('{http: PORT, https: PORT}'),
    )
    .superRefine((pair, ctx) => {
      if (pair.http === pair.https) {
        const words: IssueWords = { rule: 'map-value-wrong', say: 'ports-equal', data: { text: String(pair.http) } };
        ctx.addIssue({ code: 'custom', message: 'equal', params: words });
      }
    });

const address = z.union(
  [
    z.string().refine((text) => parseAddress(text) !== null || parseHostName(text).ok),
    z.strictObject({ interface: z.string().min(1) }),
  ],
  wants('an IPv4 or IPv6 address, a host name, or {interface: NAME}'),
);

const unknown = z.union(
  [z.enum(['refuse', 'not-found']), z.strictObject({ redirect: z.string() })],
  wants('refuse, not-found, or {redirect: URL}'),
);

const markWords = wants('a loopback address and a port, such as 127.0.0.1:29180');
const mark = z.string(markWords).refine((text) => {
  const [host = '', digits = ''] = text.split(':');
  const isPort = /^\d{1,5}$/.test(digits) && Number(digits) >= 1 && Number(digits) <= 65_535;
  return text.split(':').length === 2 && host.startsWith('127.') && parseAddress(host) !== null && isPort;
}, markWords);

/** `Forwarded` (RFC 7239 §4) holds pairs, which the servers do not read as addresses; the others are of the request itself, or of its connection. */
const notForAddresses: ReadonlySet<string> = new Set([
  'forwarded',
  ...[
    'authorization',
    'connection',
    'content-length',
    'content-type',
    'cookie',
    'expect',
    'host',
    'keep-alive',
    'origin',
  ],
  ...['proxy-connection', 'referer', 'te', 'trailer', 'transfer-encoding', 'upgrade', 'user-agent', 'via'],
  ...['x-forwarded-host', 'x-forwarded-port', 'x-forwarded-proto'],
]);

const edge = z.strictObject(
  {
    networks: oneOrMany(network, 'a network or a list of networks').meta(
      about(
        'Networks that the edge connects from. Only from there is its header about the visitor trusted.',
        '[198.51.100.0/24]',
      ),
    ),
    'address-header': headerName('the name of a header')
      .default('X-Forwarded-For')
      .meta(
        about(
          "Header in which the edge passes on the visitor's address. The edge must replace it, or add to the end of the list in it.",
          'X-Client-Address',
        ),
      )
      .superRefine((name, ctx) => {
        if (!notForAddresses.has(name.toLowerCase())) return;
        const words: IssueWords = { rule: 'map-value-wrong', say: 'header-without-address', data: { text: name } };
        ctx.addIssue({ code: 'custom', message: 'no address', params: words });
      }),
    'replaces-header': z
      .boolean(wants('true or false'))
      .default(false)
      .meta(
        about(
          'The edge takes away what visitors wrote into that header. nginx reads only its first line (but every line of X-Forwarded-For), so it needs to know.',
          'true',
        ),
      ),
    speaks: z
      .enum(['https', 'http'], wants('https or http'))
      .default('https')
      .meta(about('How the edge talks to the front.', 'https')),
  },
  wants('keys such as `networks`'),
);

export const front = z.strictObject(
  {
    address: oneOrMany(address, 'an address or a list of addresses').meta(
      about(
        'The one public address: literals, a name, or the address of an interface.',
        '[203.0.113.24, "2001:db8:40::24"]',
      ),
    ),
    home: oneOrMany(addressLiteral, 'an address or a list of addresses')
      .optional()
      .meta(about('The same machine as seen from home (split DNS, hairpin).', '[192.168.64.10]')),
    'home-networks': oneOrMany(network, 'a network or a list of networks')
      .optional()
      .meta(
        about(
          'What the gate `home` means. Default: loopback and the on-link networks of this machine, without container networks.',
          '[192.168.64.0/24]',
        ),
      ),
    ports: portPair(80, 443).prefault({}).meta(about('The ports as visitors see them.', '{http: 80, https: 443}')),
    listen: z
      .strictObject(
        {
          http: port.optional().meta(about('TCP port for plain HTTP on this machine.', '8080')),
          https: port.optional().meta(about('TCP port for HTTPS on this machine.', '8443')),
        },
        wants('{http: PORT, https: PORT}'),
      )
      .optional()
      .meta(
        about(
          'The ports as this machine sees them, when a router translates. Without it: `front.ports`.',
          '{http: 8080, https: 8443}',
        ),
      ),
    proxy: z
      .enum(proxyNames, wants('builtin, nginx, httpd or haproxy'))
      .default('builtin')
      .meta(about('The server program that answers at the front.', 'nginx')),
    container: label('the name of a container')
      .optional()
      .meta(
        about(
          'The container that the proxy runs in; without it the proxy runs on this machine. It decides how services are reached.',
          'front',
        ),
      ),
    nodes: oneOrMany(label('the name of a node'), 'a node or a list of nodes')
      .optional()
      .meta(
        about(
          'Nodes of the cluster that answer at the public addresses: there the container runs as a service of the cluster, one on each.',
          '[marsh1, marsh2]',
        ),
      ),
    mark: mark
      .optional()
      .meta(
        about(
          'Loopback listener that answers the mark: which edition the front runs. Default: port 918, which only root can take, where the front listens below 1024; else port 29180.',
          '127.0.0.1:29180',
        ),
      ),
    unknown: unknown
      .default('refuse')
      .meta(
        about(
          'What a request for a name that is not on the map gets. A name that no certificate covers is always refused.',
          'not-found',
        ),
      ),
    edge: edge
      .optional()
      .meta(about('An edge network in front of the front.', '{networks: [198.51.100.0/24], speaks: https}')),
  },
  wants('keys such as `address` and `proxy`'),
);
