import type { Left, TakenLeads, TakenOver, TakenRoad } from '../../takeover/taken-over.ts';
import { isOwnHeader, once, readableName, usualPort } from '../../takeover/words.ts';
import { gateOf, gateWords, hasGate, isNoLoss } from './taken-gates.ts';
import { leadsOf, leadsOfName } from './taken-leads.ts';
import { filledIn, originOf, serverOf, valueOf, type Context, type Server } from './taken-server.ts';
import { readTree, type Directive } from './tree.ts';

/**
 * What an nginx serves by files made by hand, read off its own dump (nginx(8), -T). Nothing that cannot be said in a map goes unsaid: it is listed
 * with its place and the reason.
 */
export function takeOver(dump: string): TakenOver {
  const http = readTree(dump)
    .filter(({ name }) => name === 'http')
    .flatMap(({ block }) => block ?? []);
  const left: Left[] = [];
  const upstreams = new Map(
    http.flatMap((one) => (one.name === 'upstream' ? [[one.args[0] ?? '', one] as const] : [])),
  );
  const servers = http.flatMap((one) => (one.name === 'server' ? [serverOf(one)] : []));
  const context = { upstreams, left, http };
  const roads = new Map<string, { road: TakenRoad; secure: boolean }>();
  for (const server of [...servers].sort((a, b) => Number(b.secure) - Number(a.secure))) {
    for (const road of roadsOf(server, context)) {
      const known = roads.get(road.name);
      if (known === undefined) roads.set(road.name, { road, secure: server.secure });
      else if (known.secure === server.secure)
        context.left.push({ origin: road.origin, what: road.name, why: 'defined twice; nginx takes the first' });
    }
  }
  const addresses = [...new Set(servers.flatMap(({ addresses: own }) => own))];
  const listens = servers.flatMap((one) => one.listens);
  const usual = (secure: boolean): number | null =>
    usualPort(listens.flatMap((one) => (one.secure === secure ? [one.port] : [])));
  const ports = { http: usual(false) ?? 80, https: usual(true) ?? 443 };
  return { roads: [...roads.values()].map(({ road }) => road), left: once(left), addresses, ports };
}

function roadsOf(server: Server, context: Context): TakenRoad[] {
  const { directive, names } = server;
  const found: TakenRoad[] = [];
  for (const name of names) {
    if (name === '_' || name === '') continue;
    const readable = readableName(name);
    if (readable === null) {
      const why = name.startsWith('~')
        ? 'a pattern of names; write each name as a road, or `others` for all of them'
        : 'not a full host name';
      context.left.push({ origin: originOf(directive), what: `server_name ${name}`, why });
      continue;
    }
    const leads = leadsOfName(name, server, context);
    // All that it does is to send visitors to HTTPS, which every road of a map does.
    if (leads === 'https' || leads === null) continue;
    found.push(roadOf(readable, leads, server, context));
  }
  return found;
}

function roadOf(name: string, leads: TakenLeads, server: Server, context: Context): TakenRoad {
  const { block, directive, secure } = server;
  const isFirst = name === readableName(server.names.find((one) => readableName(one) !== null) ?? '');
  // What is said once of a server is listed once, not for each of its names.
  const own = isFirst ? context : { ...context, left: [] };
  const root = block.find(({ name: word, args }) => word === 'location' && args[0] === '/')?.block ?? [];
  const both = [...root, ...block];
  const inherited = [...both, ...context.http];
  const parts = leads.kind === 'redirect' ? [] : pathsOf(name, server, own);
  if (leads.kind !== 'redirect') listUnsaid([...block, ...root], own);
  if (!secure && isFirst)
    own.left.push({
      origin: originOf(directive),
      what: name,
      why: 'was served over plain HTTP; a road sends visitors to HTTPS, unless it says `plain: true`',
    });
  const certificate = valueOf(block, 'ssl_certificate') ?? valueOf(context.http, 'ssl_certificate');
  const key = valueOf(block, 'ssl_certificate_key') ?? valueOf(context.http, 'ssl_certificate_key');
  return {
    name,
    origin: originOf(directive),
    leads,
    paths: parts,
    // A `return` comes before any gate (nginx's own order of phases), so that it was open to everybody.
    gate: leads.kind === 'redirect' ? null : gateOf(root, server, own),
    certificate:
      certificate === null || key === null || `${certificate}${key}`.includes('$') ? null : { certificate, key },
    rules: {
      'body-limit': leads.kind === 'service' ? sizeOf(valueOf(inherited, 'client_max_body_size')) : null,
      timeout: leads.kind === 'service' ? timeOf(valueOf(inherited, 'proxy_read_timeout')) : null,
      'response-headers': leads.kind === 'redirect' ? [] : headersOf(both),
    },
  };
}

/** nginx's k, m and g are powers of two; nothing and 0 are no limit. */
function sizeOf(value: string | null): string | null {
  const [, digits = '', unit = ''] = /^(\d+)([kmg]?)$/i.exec(value ?? '') ?? [];
  if (digits === '' || Number(digits) === 0) return null;
  return `${digits}${{ k: 'KiB', m: 'MiB', g: 'GiB' }[unit.toLowerCase()] ?? 'B'}`;
}

function timeOf(value: string | null): string | null {
  const [, digits = '', unit = 's'] = /^(\d+)(ms|s|m|h|d)?$/.exec(value ?? '') ?? [];
  if (digits === '' || unit === 'ms') return null;
  return `${digits}${unit}`;
}

function headersOf(block: readonly Directive[]): Array<[string, string]> {
  return block.flatMap(({ name, args: [header = '', value = ''] }): Array<[string, string]> => {
    return name === 'add_header' && !isOwnHeader(header) && value !== '' && !value.includes('$')
      ? [[header, value]]
      : [];
  });
}

/** Locations below a road. */
function pathsOf(name: string, server: Server, context: Context): TakenRoad['paths'] {
  return server.block.flatMap((one): TakenRoad['paths'] => {
    if (one.name !== 'location' || one.args[0] === '/') return [];
    const [kind = '', word] = one.args;
    const prefix = word ?? kind;
    const block = one.block ?? [];
    if (isNoLoss(one, prefix, block)) return [];
    const left = (why: string): [] => {
      context.left.push({ origin: originOf(one), what: `location ${one.args.join(' ')}`, why });
      return [];
    };
    if (kind.startsWith('~')) return left('a pattern of paths; `paths` of a map has prefixes');
    if (kind.startsWith('@')) return [];
    if (kind === '=') return left('one exact path; `paths` of a map has prefixes');
    if (!prefix.startsWith('/')) return left('not a prefix');
    const pass = block.find(({ name: inner }) => inner === 'proxy_pass');
    const target = pass === undefined ? '' : filledIn(pass.args[0] ?? '', server.variables);
    const rest = /^https?:\/\/[^/]+(\/.*)$/.exec(target)?.[1];
    if (rest !== undefined && rest !== prefix && rest !== '$request_uri')
      return left(`passes ${prefix} on as ${rest}; a map leaves the path as it is`);
    const straight =
      pass === undefined || rest === undefined
        ? block
        : block.map((inner) => (inner === pass ? { ...pass, args: [target.slice(0, -rest.length)] } : inner));
    const leads = leadsOf(straight, name, server, context);
    if (leads === 'https') return [];
    if (leads !== null) return [{ prefix, leads, origin: originOf(one) }];
    const folder = valueOf(block, 'alias') ?? valueOf(block, 'root');
    // A gate of its own is seen to with the road's.
    if (folder === null && hasGate(block)) return [];
    return left(
      folder === null
        ? 'does something that a map cannot describe'
        : 'a folder below a prefix; give it a name of its own',
    );
  });
}

/** Directives that a map says in its own way, does by itself, or that say nothing to visitors. */
const said = new Set([
  ...gateWords,
  ...[
    'listen',
    'server_name',
    'location',
    'if',
    'return',
    'rewrite',
    'proxy_pass',
    'root',
    'alias',
    'index',
    'set',
    'try_files',
    'add_header',
  ],
  ...[
    'client_max_body_size',
    'http2',
    'access_log',
    'error_log',
    'log_not_found',
    'server_tokens',
    'charset',
    'keepalive_timeout',
    'resolver',
  ],
  ...[
    'resolver_timeout',
    'types',
    'default_type',
    'sendfile',
    'tcp_nopush',
    'tcp_nodelay',
    'absolute_redirect',
    'port_in_redirect',
  ],
  ...[
    'chunked_transfer_encoding',
    'ignore_invalid_headers',
    'underscores_in_headers',
    'error_page',
    'expires',
    'etag',
    'autoindex',
  ],
]);

function listUnsaid(block: readonly Directive[], { left }: Context): void {
  for (const one of block) {
    const isSaid =
      said.has(one.name) ||
      /^(ssl_|ssl$|gzip|proxy_(?!pass|cookie|cache|intercept|method|hide)|client_|send_|large_|open_file|http2_)/.test(
        one.name,
      );
    if (!isSaid) left.push({ origin: originOf(one), what: one.name, why: 'a map has nothing like this' });
    else if (one.name === 'autoindex' && one.args[0] === 'on')
      left.push({ origin: originOf(one), what: 'autoindex', why: 'a road to a folder shows no list of files' });
    else if (one.name === 'error_page')
      left.push({ origin: originOf(one), what: 'error_page', why: 'pages of your own for errors are not in a map' });
  }
}
