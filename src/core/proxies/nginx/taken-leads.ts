import type { TakenLeads } from '../../takeover/taken-over.ts';
import { redirectLeads, serviceWords } from '../../takeover/words.ts';
import { filledIn, originOf, valueOf, type Context, type Server } from './taken-server.ts';
import type { Directive } from './tree.ts';

/** `https`: all that it does is to send visitors to HTTPS, which every road of a map does. Null: nothing is said. */
export type Leads = TakenLeads | 'https' | null;

/** Where one name of a server led: by an `if` that speaks of it, else as the server itself does. */
export function leadsOfName(name: string, server: Server, context: Context): Leads {
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
          why: 'a condition; a map has only gates and methods',
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
function rootLeads(name: string, server: Server, context: Context): Leads {
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
      why: 'leads to a place that a map cannot describe',
    });
  return null;
}

/** Null when a block says nothing of where it leads. */
export function leadsOf(block: readonly Directive[], name: string, server: Server, context: Context): Leads {
  const redirect = redirectOf(block, name, server, context);
  if (redirect !== null) return redirect;
  const pass = block.find(({ name: word }) => word === 'proxy_pass');
  return pass === undefined ? null : serviceOf(pass, block, server, context);
}

function redirectOf(block: readonly Directive[], name: string, { variables }: Server, { left }: Context): Leads {
  for (const one of block) {
    const [first = '', second = '', third = ''] = one.args;
    const url = one.name === 'return' ? (second === '' ? first : second) : one.name === 'rewrite' ? second : '';
    const code = one.name === 'return' && second !== '' ? first : third === 'permanent' ? '301' : '302';
    if (!/^https?:\/\//.test(url)) continue;
    const filled = filledIn(url, variables);
    const [, scheme = '', host = '', rest = ''] =
      /^(https?):\/\/([^/$]*(?:\$(?:host|http_host|server_name))?)(.*)$/.exec(filled) ?? [];
    const same = /^\$(host|http_host|server_name)$/.test(host) || host.toLowerCase() === name;
    const keeps = /^(\$request_uri|\$uri.*|\/\$1\??|\$1\??|\$request_uri\?)$/.test(rest);
    if (!keeps && rest.includes('$') && !(same && scheme === 'https')) {
      left.push({ origin: originOf(one), what: `redirect to ${url}`, why: 'a target made of variables' });
      return null;
    }
    const permanent = code === '301' || code === '308';
    return redirectLeads({ scheme, host, rest, keeps, permanent, origin: originOf(one), shown: url }, same, left);
  }
  return null;
}

function serviceOf(pass: Directive, block: readonly Directive[], server: Server, context: Context): TakenLeads | null {
  const target = filledIn(pass.args[0] ?? '', new Map([...server.variables, ...setsOf(block)]));
  const [, scheme = '', authority = '', path = ''] = /^(https?):\/\/([^/]+)(.*)$/.exec(target) ?? [];
  const left = (why: string): null => {
    context.left.push({ origin: originOf(pass), what: `proxy_pass ${pass.args[0] ?? ''}`, why });
    return null;
  };
  if (authority === '' || authority.includes('$')) return left('its target is only known at run time');
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
  return { kind: 'service', to: serviceWords(scheme, where), insecure, sayHost: said };
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
