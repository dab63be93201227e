import { parseHostName } from '../../names/host-name.ts';
import { parseAddress } from '../../networks/address.ts';
import type { Left, TakenGate, TakenLeads, TakenOver, TakenRoad } from '../../takeover/taken-over.ts';
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
  const ports = { http: usual(servers, false) ?? 80, https: usual(servers, true) ?? 443 };
  return { roads: [...roads.values()].map(({ road }) => road), left, addresses, ports };
}

interface Server {
  directive: Directive;
  block: Directive[];
  names: string[];
  secure: boolean;
  addresses: string[];
  listens: Array<{ port: number; secure: boolean }>;
  /** Values of `set`. */
  variables: ReadonlyMap<string, string>;
}

/** The port that most servers listen on. */
function usual(servers: readonly Server[], secure: boolean): number | null {
  const counts = new Map<number, number>();
  for (const { listens } of servers)
    for (const one of listens) if (one.secure === secure) counts.set(one.port, (counts.get(one.port) ?? 0) + 1);
  return [...counts].sort(([, a], [, b]) => b - a)[0]?.[0] ?? null;
}

interface Context {
  upstreams: ReadonlyMap<string, Directive>;
  left: Left[];
  /** What stands in `http { }`, which servers inherit. */
  http: readonly Directive[];
}

function serverOf(directive: Directive): Server {
  const block = directive.block ?? [];
  const listens = block.filter(({ name }) => name === 'listen');
  const addresses = listens.flatMap(({ args: [endpoint = ''] }) => {
    const host = /^\[([^\]]+)\]|^([\d.]+)(?::\d+)?$/.exec(endpoint);
    const address = parseAddress(host?.[1] ?? host?.[2] ?? '');
    return address === null || ['0.0.0.0', '::', '127.0.0.1', '::1'].includes(address) ? [] : [address];
  });
  const ports = (listens.length === 0 ? [[]] : listens.map(({ args }) => args)).map(([endpoint = '80', ...flags]) => {
    const port = Number(/^\d+$/.test(endpoint) ? endpoint : (/:(\d+)$/.exec(endpoint)?.[1] ?? 80));
    return { port, secure: flags.includes('ssl') || port === 443 || valueOf(block, 'ssl') === 'on' };
  });
  const variables = new Map(
    block.flatMap(({ name, args: [key = '', value = ''] }) => (name === 'set' ? [[key, value] as const] : [])),
  );
  return {
    directive,
    block,
    names: block.flatMap(({ name, args }) => (name === 'server_name' ? args : [])).map((name) => name.toLowerCase()),
    secure: ports.some((one) => one.secure),
    addresses,
    listens: ports,
    variables,
  };
}

function valueOf(block: readonly Directive[], name: string): string | null {
  return block.find((one) => one.name === name)?.args[0] ?? null;
}

function originOf({ file, line }: Directive): { file: string; line: number } {
  return { file, line };
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
        : 'not a host name';
      context.left.push({ origin: originOf(directive), what: `server_name ${name}`, why });
      continue;
    }
    const leads = leadsOfName(name, server, context);
    // All that it does is to send visitors to HTTPS, which every road of a map does.
    if (leads === 'https') continue;
    found.push(roadOf(readable, leads, server, context));
  }
  return found.flatMap((road) => (road.leads.kind === 'folder' && road.leads.path === '' ? [] : [road]));
}

function readableName(name: string): string | null {
  const wild = /^\*\.(.+)$/.exec(name)?.[1] ?? /^\.(.+)$/.exec(name)?.[1];
  const parsed = parseHostName(wild ?? name);
  if (!parsed.ok) return null;
  return wild === undefined ? parsed.name.ascii : `*.${parsed.name.ascii}`;
}

/** Where one name of a server led: by an `if` that speaks of it, else as the server itself does. */
function leadsOfName(name: string, server: Server, context: Context): TakenLeads | 'https' {
  for (const one of server.block.filter(({ name: word }) => word === 'if')) {
    const condition = one.args.join(' ').replace(/^\(\s*|\s*\)$/g, '');
    const inner = one.block ?? [];
    const about = /^\$(?:host|http_host|server_name) (=|!=) "?([^"\s]+)"?$/.exec(condition);
    const plain = /^\$scheme (?:=|!=) "?https?"?$|^\$https (?:=|!=)/.exec(condition) !== null;
    if (plain) {
      if (!server.secure) return 'https';
      continue;
    }
    if (about === null) {
      if (name === server.names[0])
        context.left.push({
          origin: originOf(one),
          what: `if (${condition})`,
          why: 'a condition; a map has none but gates and methods',
        });
      continue;
    }
    if ((about[1] === '=') !== (about[2]?.toLowerCase() === name)) continue;
    const redirect = redirectOf(inner, name, server, context);
    if (redirect !== null) return redirect;
  }
  return leadsOf(server.block, name, server, context) ?? rootLeads(name, server, context);
}

/** `location /` says what the server itself does not. */
function rootLeads(name: string, server: Server, context: Context): TakenLeads | 'https' {
  const root = server.block.find(({ name: word, args }) => word === 'location' && args.length === 1 && args[0] === '/');
  const inherited = [...(root?.block ?? []), ...server.block.filter(({ name: word }) => word === 'root')];
  const leads = root === undefined ? null : leadsOf(root.block ?? [], name, server, context);
  if (leads !== null) return leads;
  const folder = valueOf(inherited, 'root') ?? valueOf(root?.block ?? [], 'alias');
  if (folder !== null) return { kind: 'folder', path: folder };
  if (name === server.names[0])
    context.left.push({
      origin: originOf(root ?? server.directive),
      what: name,
      why: 'leads nowhere that a map can say',
    });
  return { kind: 'folder', path: '' };
}

/** Null when a block says nothing of where it leads. */
function leadsOf(
  block: readonly Directive[],
  name: string,
  server: Server,
  context: Context,
): TakenLeads | 'https' | null {
  const redirect = redirectOf(block, name, server, context);
  if (redirect !== null) return redirect;
  const pass = block.find(({ name: word }) => word === 'proxy_pass');
  return pass === undefined ? null : serviceOf(pass, block, server, context);
}

function redirectOf(
  block: readonly Directive[],
  name: string,
  { variables }: Server,
  { left }: Context,
): TakenLeads | 'https' | null {
  for (const one of block) {
    const [first = '', second = '', third = ''] = one.args;
    const url = one.name === 'return' ? (second === '' ? first : second) : one.name === 'rewrite' ? second : '';
    const code = one.name === 'return' && second !== '' ? first : third === 'permanent' ? '301' : '302';
    if (!/^https?:\/\//.test(url)) continue;
    const filled = filledIn(url, variables);
    const [, scheme = '', host = '', rest = ''] =
      /^(https?):\/\/([^/$]*(?:\$(?:host|http_host|server_name))?)(.*)$/.exec(filled) ?? [];
    const same = /^\$(host|http_host|server_name)$/.test(host) || host.toLowerCase() === name;
    if (same && scheme === 'https') return 'https';
    const keeps = /^(\$request_uri|\$uri.*|\/\$1\??|\$1\??|\$request_uri\?)$/.test(rest);
    if (!keeps && rest !== '' && rest.includes('$')) {
      left.push({ origin: originOf(one), what: `redirect to ${url}`, why: 'a target made of variables' });
      return null;
    }
    if (!keeps)
      left.push({
        origin: originOf(one),
        what: `redirect to ${url}`,
        why: 'led every path to one page; a redirect of a map keeps path and query',
      });
    const target = `${scheme}://${host}${keeps ? '' : rest.replace(/\?$/, '').replace(/\/$/, '')}`;
    return { kind: 'redirect', url: target, permanent: code === '301' || code === '308' };
  }
  return null;
}

/** Variables that `set` gives a plain value; what is left of others stays. */
function filledIn(text: string, variables: ReadonlyMap<string, string>): string {
  let filled = text;
  for (let depth = 0; depth < 5; depth += 1)
    filled = filled.replace(/\$\{?([a-z_]\w*)\}?/gi, (word: string, name: string) => variables.get(`$${name}`) ?? word);
  return filled;
}

function serviceOf(pass: Directive, block: readonly Directive[], server: Server, context: Context): TakenLeads | null {
  const target = filledIn(pass.args[0] ?? '', new Map([...server.variables, ...setsOf(block)]));
  const [, scheme = '', authority = '', path = ''] = /^(https?):\/\/([^/]+)(.*)$/.exec(target) ?? [];
  const left = (why: string): null => {
    context.left.push({ origin: originOf(pass), what: `proxy_pass ${pass.args[0] ?? ''}`, why });
    return null;
  };
  if (authority === '' || authority.includes('$')) return left('its target is worked out while it runs');
  if (authority.startsWith('unix:')) return left('a socket file; publish a port of the service instead');
  if (path !== '' && path !== '/' && path !== '$request_uri')
    return left(`adds ${path} to the path, which a map leaves as it is`);
  const upstream = context.upstreams.get(authority);
  const where = upstream === undefined ? authority : firstOf(upstream, context);
  if (where === null || where.startsWith('unix:')) return left('a socket file; publish a port of the service instead');
  const insecure =
    scheme === 'https' &&
    valueOf(block, 'proxy_ssl_verify') !== 'on' &&
    valueOf(server.block, 'proxy_ssl_verify') !== 'on';
  const said = sayHostOf([...block, ...server.block]);
  return { kind: 'service', to: toWords(scheme, where), insecure, sayHost: said };
}

function setsOf(block: readonly Directive[]): Array<readonly [string, string]> {
  return block.flatMap(({ name, args: [key = '', value = ''] }) => (name === 'set' ? [[key, value] as const] : []));
}

/** A Host of its own for the service; what visitors wrote is what a map passes on anyway. */
function sayHostOf(block: readonly Directive[]): string | null {
  const value = block.find(({ name, args }) => name === 'proxy_set_header' && args[0]?.toLowerCase() === 'host')
    ?.args[1];
  return value === undefined || value.includes('$') ? null : value;
}

function firstOf(upstream: Directive, { left }: Context): string | null {
  const servers = (upstream.block ?? []).filter(({ name }) => name === 'server');
  if (servers.length > 1)
    left.push({
      origin: originOf(upstream),
      what: `upstream ${upstream.args[0] ?? ''}`,
      why: 'spreads over several servers; a road leads to one, here the first',
    });
  return servers[0]?.args[0] ?? null;
}

/** A service as a map writes it: a port of this host, or a URL. */
function toWords(scheme: string, authority: string): string {
  const [, host = '', port] = /^(\[[^\]]+\]|[^:]+)(?::(\d+))?$/.exec(authority) ?? [];
  const local = ['127.0.0.1', 'localhost', '[::1]', '0.0.0.0'].includes(host);
  if (local && scheme === 'http') return `:${port ?? '80'}`;
  return `${scheme}://${local ? '127.0.0.1' : host}${port === undefined ? '' : `:${port}`}`;
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
    gate: leads.kind === 'redirect' ? null : gateOf(both, server, own),
    certificate:
      certificate === null || key === null || `${certificate}${key}`.includes('$') ? null : { certificate, key },
    bodyLimit: leads.kind === 'service' ? sizeOf(valueOf(inherited, 'client_max_body_size')) : null,
    timeout: leads.kind === 'service' ? timeOf(valueOf(inherited, 'proxy_read_timeout')) : null,
    headers: leads.kind === 'redirect' ? [] : headersOf(both),
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
    const isOwn =
      /^(strict-transport-security|x-frame-options|x-content-type-options|referrer-policy|access-control-.*|alt-svc)$/i.test(
        header,
      );
    return name === 'add_header' && !isOwn && value !== '' && !value.includes('$') ? [[header, value]] : [];
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
    if (kind === '=') return left('one path alone; `paths` of a map has prefixes');
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
      folder === null ? 'does something that a map cannot say' : 'a folder below a prefix; give it a name of its own',
    );
  });
}

/** What every road of a map does or has anyway: challenges, no dotfiles, less logging of small things. */
function isNoLoss({ args }: Directive, prefix: string, block: readonly Directive[]): boolean {
  if (prefix.includes('acme-challenge')) return true;
  if (
    args[0]?.startsWith('~') === true &&
    /\\\./.test(prefix) &&
    block.every(({ name }) => ['deny', 'return', 'access_log', 'log_not_found'].includes(name))
  )
    return true;
  return (
    block.every(
      ({ name }) =>
        [
          'access_log',
          'error_log',
          'log_not_found',
          'expires',
          'try_files',
          'add_header',
          'auth_basic',
          'allow',
        ].includes(name) && name !== 'allow',
    ) && !hasGate(block)
  );
}

const gateWords = ['allow', 'deny', 'auth_basic', 'auth_basic_user_file', 'satisfy', 'auth_request'];

function hasGate(block: readonly Directive[]): boolean {
  return block.some(
    ({ name, args }) => gateWords.includes(name) && args[0] !== 'off' && !(name === 'allow' && args[0] === 'all'),
  );
}

/** A gate on a part alone is put on the whole road, so that nothing gets open that was not. */
function gateOf(block: readonly Directive[], server: Server, context: Context): TakenGate | null {
  const locations = server.block.filter(({ name, args }) => name === 'location' && args[0] !== '/');
  const whole = gateIn(block, context);
  const parts = locations.flatMap((one) => {
    const inner = one.block ?? [];
    if (!hasGate(inner) || ((one.args[0] ?? '').startsWith('~') && isNoLoss(one, one.args[1] ?? '', inner))) return [];
    const gate = gateIn(inner, context);
    return gate === null ? [] : [{ ...gate, wasOn: one.args[one.args.length - 1] ?? '' }];
  });
  const open = locations.filter(
    ({ block: inner }) => inner?.some(({ name, args }) => name === 'auth_basic' && args[0] === 'off') === true,
  );
  const except = open
    .map(({ args }) => args[args.length - 1] ?? '')
    .filter((prefix) => prefix.startsWith('/') && !prefix.includes('acme-challenge'));
  if (whole !== null) {
    for (const { wasOn } of parts)
      context.left.push({
        origin: originOf(server.directive),
        what: `the gate of ${wasOn}`,
        why: 'a road has one gate; here that of its other paths',
      });
    return { ...whole, except };
  }
  return parts[0] ?? null;
}

function gateIn(block: readonly Directive[], context: Context): TakenGate | null {
  const of = (name: string): Directive[] => block.filter((one) => one.name === name);
  for (const one of of('auth_request'))
    context.left.push({
      origin: originOf(one),
      what: 'auth_request',
      why: 'another program lets people in; a gate of a map has networks and password files',
    });
  const networks = of('allow')
    .map(({ args }) => args[0] ?? '')
    .filter((one) => one !== 'all');
  const denies = of('deny').filter(({ args }) => args[0] !== 'all');
  for (const one of denies)
    context.left.push({
      origin: originOf(one),
      what: `deny ${one.args[0] ?? ''}`,
      why: 'keeps one network out; a gate of a map says who may come in',
    });
  const closed = of('deny').some(({ args }) => args[0] === 'all');
  const auth = valueOf(block, 'auth_basic');
  const people = auth === null || auth === 'off' ? null : valueOf(block, 'auth_basic_user_file');
  const inside = closed ? networks : [];
  // Closed to all: nobody but this machine.
  const kept = closed && networks.length === 0 && people === null ? ['127.0.0.0/8'] : inside;
  if (kept.length === 0 && people === null) return null;
  return { networks: kept, people, need: valueOf(block, 'satisfy') === 'any' ? 'any' : 'all', except: [], wasOn: null };
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
    if (!isSaid) left.push({ origin: originOf(one), what: one.name, why: 'a map has nothing like it' });
    else if (one.name === 'autoindex' && one.args[0] === 'on')
      left.push({ origin: originOf(one), what: 'autoindex', why: 'a road to a folder shows no list of files' });
    else if (one.name === 'error_page')
      left.push({ origin: originOf(one), what: 'error_page', why: 'pages of your own for errors are not in a map' });
  }
}
