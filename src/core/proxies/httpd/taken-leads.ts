import type { TakenLeads } from '../../takeover/taken-over.ts';
import { redirectLeads, serviceWords } from '../../takeover/words.ts';
import { originOf, valueOf, type Context, type Server } from './taken-server.ts';
import type { Directive } from './tree.ts';

/** `https`: all that it does is to send visitors to HTTPS, which every road of a map does. Null: nothing is said. */
export type Leads = TakenLeads | 'https' | null;

/** Where a prefix of a server leads by one of its directives. */
export interface Lead {
  prefix: string;
  leads: Leads;
  of: Directive;
}

/** Where the paths of one name lead, in the order in which httpd looks: rewriting, passing on, then redirects and folders. */
export function leadsOfName(name: string, server: Server, context: Context): Lead[] {
  return [
    ...rewritten(name, server, context),
    ...passed(server, context),
    ...redirected(name, server, context),
    ...folders(server, context),
  ];
}

/** What a rule has to match so that it holds for every path. */
const everyPath = /^(?:\^\/?\??|\^?\/?\??\(?\.\*\)?\$?|\^?\(\/?\.\*\)\$?)$/;

function rewritten(name: string, server: Server, context: Context): Lead[] {
  const { own, secure } = server;
  const left = (of: Directive, why: string): void => {
    if (name === server.names[0])
      context.left.push({ origin: originOf(of), what: `RewriteRule ${of.args.slice(0, 2).join(' ')}`, why });
  };
  const found: Lead[] = [];
  let conditions: Directive[] = [];
  for (const one of own) {
    if (one.name === 'rewritecond') conditions.push(one);
    if (one.name !== 'rewriterule') continue;
    const [pattern = '', target = '', flags = ''] = one.args;
    const has = (flag: RegExp): boolean =>
      flags
        .replace(/[[\]\s]/g, '')
        .split(',')
        .some((word) => flag.test(word));
    const held = holds(conditions, name, secure);
    const captured = capturedIn(conditions, name);
    conditions = [];
    if (held === 'no' || held === 'live') continue;
    const isChallenge = pattern.includes('acme-challenge') || (target === '-' && has(/^(L|END)$/i) && !has(/^[FG]$/i));
    if (isChallenge) continue;
    const [, scheme = '', host = '', rest = ''] =
      /^(https?|wss?):\/\/([^/$%]*(?:%\{(?:HTTP_HOST|SERVER_NAME)\}|%1)?(?::\d+)?)(\/.*|%\{REQUEST_URI\}.*|\$1)?$/.exec(
        target.replace(/^(https?:\/\/[^/%]*)%1/, (_, head: string) => `${head}${captured ?? '%1'}`),
      ) ?? [];
    if (scheme === '')
      left(
        one,
        target === '-' ? 'does something that a map cannot describe' : 'rewrites paths; a map leaves the path as it is',
      );
    else if (has(/^P$/i) && scheme.startsWith('ws')) continue;
    else if (held === 'unknown') left(one, 'depends on a condition; a map has only gates and methods');
    else if (has(/^P$/i)) {
      const prefix = everyPath.test(pattern) ? '/' : /^\^?(\/[\w./-]*?)\/?\(\.\*\)\$?$/.exec(pattern)?.[1];
      const onward = rest.replace(/\/?(?:\$1|%\{REQUEST_URI\})$/, '') || '/';
      if (prefix === undefined) left(one, 'a pattern of paths; `paths` of a map has prefixes');
      else if (onward !== prefix) left(one, `passes ${prefix} on as ${onward}; a map leaves the path as it is`);
      else found.push({ prefix, leads: serviceOf(one, `${scheme}://${host}`, server, context), of: one });
    } else if (!everyPath.test(pattern)) left(one, 'redirects only some paths');
    else {
      const keeps = /^(\/?%\{REQUEST_URI\}|\/?\$1)$/.test(rest);
      if (!keeps && /[$%]/.test(rest)) left(one, 'a target made of variables');
      else
        found.push({
          prefix: '/',
          leads: redirectTo(
            { of: one, scheme, host, rest, keeps, permanent: has(/^R(edirect)?=(301|308|permanent)$/i) },
            name,
            context,
          ),
          of: one,
        });
    }
  }
  return found;
}

/** Whether what stands before a rule holds for a name: `live` for conditions that only WebSockets meet. */
function holds(conditions: readonly Directive[], name: string, secure: boolean): 'yes' | 'no' | 'live' | 'unknown' {
  let result: 'yes' | 'no' | 'live' | 'unknown' = 'yes';
  for (let index = 0; index < conditions.length; index += 1) {
    let group: Array<ReturnType<typeof condition>> = [];
    for (; index < conditions.length; index += 1) {
      const one = conditions[index];
      if (one === undefined) break;
      group.push(condition(one, name, secure));
      if (!/\bOR\b|ornext/i.test(one.args[2] ?? '')) break;
    }
    if (group.includes('live')) group = ['live'];
    const met = group.includes('yes') ? 'yes' : (group.find((one) => one !== 'no') ?? 'no');
    if (met === 'no') return 'no';
    if (met === 'live' || (met === 'unknown' && result !== 'live')) result = met;
  }
  return result;
}

function condition({ args }: Directive, name: string, secure: boolean): 'yes' | 'no' | 'live' | 'unknown' {
  const [subject = '', test = '', flags = ''] = args;
  const word = /^%\{([^}]+)\}$/.exec(subject)?.[1]?.toUpperCase() ?? '';
  const is = (met: boolean): 'yes' | 'no' => (met ? 'yes' : 'no');
  const negated = test.startsWith('!');
  const plain = test.replace(/^!/, '');
  if (/^HTTP:(UPGRADE|CONNECTION)$/.test(word)) return 'live';
  if (word === 'REQUEST_URI' && plain.includes('acme-challenge')) return is(negated);
  if (word === 'HTTPS') return is((/on/i.test(plain) === secure) !== negated);
  if (word === 'SERVER_PORT') return is((/443/.test(plain) === secure) !== negated);
  if (word === 'REQUEST_SCHEME') return is((/https/i.test(plain) === secure) !== negated);
  if (word !== 'HTTP_HOST' && word !== 'SERVER_NAME') return 'unknown';
  if (plain.startsWith('=')) return is((plain.slice(1).toLowerCase() === name) !== negated);
  try {
    return is(new RegExp(plain, /\bNC\b|nocase/i.test(flags) ? 'i' : '').test(name) !== negated);
  } catch {
    return 'unknown';
  }
}

/** What the last condition on the name found in it, which `%1` stands for. */
function capturedIn(conditions: readonly Directive[], name: string): string | null {
  const [subject = '', test = '', flags = ''] = conditions[conditions.length - 1]?.args ?? [];
  if (!/^%\{(HTTP_HOST|SERVER_NAME)\}$/i.test(subject) || /^[!=]/.test(test)) return null;
  try {
    return new RegExp(test, /\bNC\b|nocase/i.test(flags) ? 'i' : '').exec(name)?.[1] ?? null;
  } catch {
    return null;
  }
}

interface Target {
  of: Directive;
  scheme: string;
  host: string;
  rest: string;
  keeps: boolean;
  permanent: boolean;
}

function redirectTo({ of, ...target }: Target, name: string, { left }: Context): Leads {
  const host = target.host.replace(/:\d+$/, '');
  const same = /^%\{(HTTP_HOST|SERVER_NAME)\}$/i.test(host) || host.toLowerCase() === name;
  if (!same && /[%$]/.test(target.host)) {
    left.push({
      origin: originOf(of),
      what: `redirect to ${target.scheme}://${target.host}`,
      why: 'a target made of variables',
    });
    return null;
  }
  return redirectLeads(
    { ...target, origin: originOf(of), shown: `${target.scheme}://${target.host}${target.rest}` },
    same,
    left,
  );
}

/** What ProxyPass says, in the server or in a `Location` of it. The first that fits counts. */
function passed(server: Server, context: Context): Lead[] {
  const lines = server.block.flatMap((one): Array<{ of: Directive; prefix: string; target: string }> => {
    const [first = '', second = ''] = one.args;
    if (one.name === 'proxypass') return [{ of: one, prefix: first, target: second }];
    if (one.name === 'proxypassmatch')
      context.left.push({
        origin: originOf(one),
        what: `ProxyPassMatch ${first}`,
        why: 'a pattern of paths; `paths` of a map has prefixes',
      });
    const inner = one.name === 'location' ? one.block?.find(({ name }) => name === 'proxypass') : undefined;
    return inner === undefined ? [] : [{ of: inner, prefix: first, target: inner.args[0] ?? '' }];
  });
  return lines.flatMap(({ of, prefix, target }, index): Lead[] => {
    const left = (why: string): [] => {
      context.left.push({ origin: originOf(of), what: `ProxyPass ${prefix} ${target}`, why });
      return [];
    };
    if (prefix.includes('acme-challenge')) return [];
    const shadow = lines.slice(0, index).find((one) => prefix.startsWith(one.prefix));
    if (shadow !== undefined && /^wss?:/.test(target)) return [];
    if (shadow !== undefined) return left(`never came to it: ${shadow.prefix} stands before it`);
    if (target === '!') return left('a folder below a prefix; give it a name of its own');
    const [, scheme = '', authority = '', path = ''] = /^([a-z]+):\/\/([^/]*)(.*)$/.exec(target) ?? [];
    if (authority === '' || target.includes('|')) return left('a socket file; publish a port of the service instead');
    const bare = (text: string): string => text.replace(/\/$/, '');
    if (/^wss?$/.test(scheme) && lines.some((one) => one.of !== of && one.target.includes(`//${authority}`))) return [];
    if (!['http', 'https', 'h2', 'h2c', 'ws', 'wss', 'balancer'].includes(scheme)) return left(`${scheme} is not HTTP`);
    if (bare(path) !== bare(prefix))
      return left(`passes ${prefix} on as ${path === '' ? '/' : path}; a map leaves the path as it is`);
    return [{ prefix, leads: serviceOf(of, `${scheme}://${authority}`, server, context), of }];
  });
}

function serviceOf(of: Directive, target: string, { block }: Server, context: Context): TakenLeads | null {
  const [, written = '', name = ''] = /^([a-z0-9]+):\/\/(.*)$/.exec(target) ?? [];
  const group = context.groups.get(target);
  const members = (group?.block ?? []).filter(({ name: word }) => word === 'balancermember');
  if (group !== undefined && members.length > 1)
    context.left.push({
      origin: originOf(group),
      what: target,
      why: 'spreads over several servers; a road leads to one, here the first',
    });
  const first = group === undefined ? target : (members[0]?.args[0] ?? '');
  const [, inner = written, authority = ''] = /^([a-z0-9]+):\/\/([^/]*)/.exec(first) ?? [];
  if (authority === '' || /[$%|]/.test(`${authority}${name}`) || inner === 'balancer') {
    context.left.push({ origin: originOf(of), what: target, why: 'its target is only known at run time' });
    return null;
  }
  const scheme = /^(https|wss|h2)$/.test(inner) ? 'https' : 'http';
  const insecure = scheme === 'https' && !/^require$/i.test(valueOf(block, 'sslproxyverify') ?? '');
  return { kind: 'service', to: serviceWords(scheme, authority), insecure, sayHost: sayHostOf(block) };
}

/** A Host of its own for the service; what visitors wrote is what a map passes on anyway. */
function sayHostOf(block: readonly Directive[]): string | null {
  const value = block.find(
    ({ name, args }) => name === 'requestheader' && /^set$/i.test(args[0] ?? '') && /^host$/i.test(args[1] ?? ''),
  )?.args[2];
  return value === undefined || /[%$]|^expr=/.test(value) ? null : value;
}

/** `Redirect` and its kin, in the server or its `Location` (mod_alias). */
function redirected(name: string, server: Server, context: Context): Lead[] {
  const lines = server.block.flatMap((one) =>
    one.name === 'location'
      ? (one.block ?? []).flatMap((inner) =>
          inner.name === 'redirect' && inner.args.length < 3
            ? [{ ...inner, args: withPath(inner.args, one.args[0] ?? '') }]
            : [],
        )
      : [one],
  );
  return lines.flatMap((of): Lead[] => {
    if (!/^redirect(match|permanent|temp)?$/.test(of.name)) return [];
    const status = of.args.length > 2 ? (of.args[0] ?? '') : of.name === 'redirectpermanent' ? '301' : '302';
    const [from = '', url = ''] = of.args.slice(-2);
    const isPattern = of.name === 'redirectmatch';
    const left = (why: string): [] => {
      context.left.push({ origin: originOf(of), what: `${of.name} ${from} ${url}`, why });
      return [];
    };
    const [, scheme = '', host = '', rest = ''] = /^(https?):\/\/([^/]+)(.*)$/.exec(url) ?? [];
    if (scheme === '') return left('leads to no other name');
    if (isPattern && !everyPath.test(from)) return left('a pattern of paths; `paths` of a map has prefixes');
    const keeps = isPattern ? /^\/?\$1$/.test(rest) : rest.replace(/\/$/, '') === from.replace(/\/$/, '');
    if (isPattern && !keeps && rest.includes('$')) return left('a target made of variables');
    if (!isPattern && !keeps && from !== '/')
      return left('leads the paths below it to others; a redirect of a map keeps path and query');
    const target = {
      of,
      scheme,
      host,
      rest,
      keeps: keeps || !isPattern,
      permanent: /^(301|308|permanent)$/i.test(status),
    };
    // `Redirect / https://NAME/somewhere` puts the path behind it, as a map does.
    const leads =
      keeps || isPattern
        ? redirectTo(target, name, context)
        : redirectTo({ ...target, keeps: true, host: `${host}${rest.replace(/\/$/, '')}` }, name, context);
    return [{ prefix: isPattern ? '/' : from, leads, of }];
  });
}

function withPath(args: readonly string[], path: string): string[] {
  return args.length < 2 ? [path, ...args] : [args[0] ?? '', path, ...args.slice(1)];
}

function folders({ own, block }: Server, { left, root }: Context): Lead[] {
  for (const of of own)
    if (/^(script)?alias(match)?$/.test(of.name) && !(of.args[0] ?? '').includes('acme-challenge'))
      left.push({
        origin: originOf(of),
        what: `${of.name} ${of.args[0] ?? ''}`,
        why: 'a folder below a prefix; give it a name of its own',
      });
  const of = block.find(({ name }) => name === 'documentroot');
  const path = of?.args[0] ?? '';
  return of === undefined
    ? []
    : [{ prefix: '/', leads: { kind: 'folder', path: path.startsWith('/') ? path : `${root}/${path}` }, of }];
}
