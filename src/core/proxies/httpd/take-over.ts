import type { Left, TakenGate, TakenLeads, TakenOver, TakenRoad } from '../../takeover/taken-over.ts';
import { isOwnHeader, once, readableName, usualPort } from '../../takeover/words.ts';
import { rootIn } from './dump.ts';
import { gateIn, gateWords, saysWho } from './taken-gates.ts';
import { leadsOfName } from './taken-leads.ts';
import { originOf, serversOf, valueOf, type Context, type Server } from './taken-server.ts';
import { readTree, type Directive } from './tree.ts';

/**
 * What an httpd serves by files made by hand, read off its own list of files and their texts (httpd(8), `-D DUMP_INCLUDES`). Nothing that cannot be
 * said in a map goes unsaid: it is listed with its place and the reason.
 */
export function takeOver(dump: string): TakenOver {
  const tree = readTree(dump);
  const left: Left[] = [];
  const groups = new Map(
    tree
      .flatMap((one) => [one, ...(one.name === 'virtualhost' ? (one.block ?? []) : [])])
      .flatMap((one) =>
        one.name === 'proxy' && one.args[0]?.startsWith('balancer:') === true
          ? [[(one.args[0] ?? '').replace(/\/$/, ''), one] as const]
          : [],
      ),
  );
  const servers = serversOf(tree);
  const context = { root: rootIn(dump), groups, left };
  const roads = new Map<string, { road: TakenRoad; secure: boolean }>();
  for (const server of [...servers].sort((a, b) => Number(b.secure) - Number(a.secure)))
    for (const road of roadsOf(server, context)) {
      const known = roads.get(road.name);
      if (known === undefined) roads.set(road.name, { road, secure: server.secure });
      else if (known.secure === server.secure)
        left.push({ origin: road.origin, what: road.name, why: 'defined twice; httpd takes the first' });
    }
  const listens = servers.flatMap((one) => one.listens);
  const usual = (secure: boolean): number | null =>
    usualPort(listens.flatMap((one) => (one.secure === secure ? [one.port] : [])));
  return {
    roads: [...roads.values()].map(({ road }) => road),
    left: once(left),
    addresses: [...new Set(servers.flatMap(({ addresses }) => addresses))],
    ports: { http: usual(false) ?? 80, https: usual(true) ?? 443 },
  };
}

function roadsOf(server: Server, context: Context): TakenRoad[] {
  return server.names.flatMap((name, index) => {
    const readable = readableName(name);
    if (readable === null) {
      const why = /[*?]/.test(name)
        ? 'a pattern of names; write each name as a road, or `others` for all of them'
        : 'not a full host name';
      context.left.push({ origin: originOf(server.directive), what: `the name ${name}`, why });
      return [];
    }
    // What is said once of a server is listed once, not for each of its names.
    const own = index === 0 ? context : { ...context, left: [] };
    return roadOf(readable, name, server, own) ?? [];
  });
}

function roadOf(name: string, written: string, server: Server, context: Context): TakenRoad | null {
  const { directive, block, own, secure } = server;
  const found = leadsOfName(written, server, context).filter(({ leads }) => leads !== null);
  const root = found.find(({ prefix }) => prefix === '/');
  // All that it does is to send visitors to HTTPS, which every road of a map does.
  if (root?.leads === 'https') return null;
  if (root === undefined) {
    context.left.push({ origin: originOf(directive), what: name, why: 'leads to a place that a map cannot describe' });
    return null;
  }
  const leads = root.leads as TakenLeads;
  const isRedirect = leads.kind === 'redirect';
  if (!isRedirect) listUnsaid(own, context);
  if (!secure)
    context.left.push({
      origin: originOf(directive),
      what: name,
      why: 'was served over plain HTTP; a road sends visitors to HTTPS, unless it says `plain: true`',
    });
  const certificate = valueOf(block, 'sslcertificatefile');
  const key = valueOf(block, 'sslcertificatekeyfile') ?? certificate;
  const paths = found.flatMap(({ prefix, leads: part, of }): TakenRoad['paths'] =>
    prefix === '/' || isRedirect || part === null || part === 'https'
      ? []
      : [{ prefix, leads: part, origin: originOf(of) }],
  );
  const isService = leads.kind === 'service';
  return {
    name,
    origin: originOf(directive),
    leads,
    paths: paths.filter(({ prefix }, index) => paths.findIndex((one) => one.prefix === prefix) === index),
    // A redirect comes before any gate (httpd's own order of phases), so that it was open to everybody.
    gate: isRedirect ? null : gateOf(leads, server, context),
    certificate: certificate === null || key === null ? null : { certificate, key },
    rules: {
      'body-limit': isService ? limitOf(valueOf(block, 'limitrequestbody')) : null,
      timeout: isService ? timeOf(root.of, block) : null,
      'response-headers': isRedirect ? [] : headersOf(block),
    },
  };
}

/**
 * Who was let in. A gate on a part alone is put on the whole road, and one that a map cannot say becomes `home`, so that nothing gets open that was
 * not.
 */
function gateOf(leads: TakenLeads, { block, own, directive }: Server, context: Context): TakenGate | null {
  const { root, left } = context;
  const inner = (...names: string[]): Directive[] => block.filter(({ name }) => names.includes(name));
  const inOf = (sections: readonly Directive[]): Directive[] => sections.flatMap((one) => one.block ?? []);
  const isAll = ({ args }: Directive): boolean =>
    ['/', '*', '^/', '.*', '^/.*', '^.*$'].includes(args[args.length - 1] ?? '');
  // Of folders the innermost that holds what is shown.
  const directories =
    leads.kind === 'folder'
      ? inner('directory')
          .filter(({ args: [path = ''] }) => `${leads.path}/`.startsWith(`${path.replace(/\/$/, '')}/`))
          .sort((a, b) => (b.args[0]?.length ?? 0) - (a.args[0]?.length ?? 0))
          .map((one) => one.block ?? [])
      : [];
  // Sections of single services may be of another one: what keeps anybody out counts, what lets all in does not.
  const services = inner('proxy').flatMap((one) =>
    !isAll(one) && gateIn([one.block ?? []], root, []) !== null ? [one.block ?? []] : [],
  );
  const levels = [
    inOf(inner('location', 'locationmatch').filter(isAll)),
    ...services,
    inOf(inner('proxy').filter(isAll)),
    ...directories,
    [...own, ...block],
  ];
  const whole = gateIn(levels, root, left);
  const except: string[] = [];
  const onParts: TakenGate[] = [];
  const below = inner('directory').filter(
    ({ args: [path = ''] }) =>
      leads.kind === 'folder' &&
      path.startsWith(`${leads.path.replace(/\/$/, '')}/`) &&
      path.length > leads.path.length + 1,
  );
  for (const one of [...inner('location', 'locationmatch', 'files', 'filesmatch', 'directorymatch'), ...below]) {
    const section = one.block ?? [];
    const prefix = one.args[one.args.length - 1] ?? '';
    const hides =
      !section.some(({ name }) => name.startsWith('auth')) &&
      /\\?\.(ht|git|svn|user)|server-(status|info)|acme-challenge/.test(prefix);
    if ((isAll(one) && one.name.startsWith('location')) || !saysWho(section) || hides) continue;
    const gate = gateIn([section, ...levels], root, left);
    const isPrefix = one.name === 'location' && prefix.startsWith('/') && one.args.length === 1;
    const origin = originOf(one);
    if (gate === null && whole !== null) {
      if (isPrefix) except.push(prefix);
      else
        left.push({
          origin,
          what: `${one.name} ${prefix}`,
          why: 'was open to everybody; a gate can except prefixes only',
        });
    } else if (gate !== null) {
      if (whole !== null || onParts.length > 0)
        left.push({ origin, what: `the gate of ${prefix}`, why: 'a road has one gate, and this is not it' });
      onParts.push({ ...gate, wasOn: prefix });
    }
  }
  const files =
    leads.kind === 'folder' &&
    block.some(({ name, args }) => name === 'allowoverride' && !/^none$/i.test(args[0] ?? ''));
  if (files)
    left.push({
      origin: originOf(directive),
      what: '.htaccess',
      why: 'files in folders may keep somebody out, and are not read',
    });
  return whole === null ? (onParts[0] ?? null) : { ...whole, except };
}

function limitOf(value: string | null): string | null {
  return value === null || !/^\d+$/.test(value) || Number(value) === 0 ? null : `${value}B`;
}

/** In seconds, by the service's own word or that of all. */
function timeOf({ args }: Directive, block: readonly Directive[]): string | null {
  const own = args.map((word) => /^timeout=(\d+)$/.exec(word)?.[1]).find((one) => one !== undefined);
  const value = own ?? valueOf(block, 'proxytimeout');
  return value === null || !/^\d+$/.test(value) ? null : `${value}s`;
}

function headersOf(block: readonly Directive[]): Array<[string, string]> {
  return block.flatMap(({ name, args }): Array<[string, string]> => {
    const [action = '', header = '', value = ''] = args.filter(
      (word, index) => index > 0 || !/^(always|onsuccess)$/i.test(word),
    );
    const isPlain =
      name === 'header' && /^(set|add|append|merge)$/i.test(action) && value !== '' && !/%\{|^expr=/.test(value);
    return isPlain && !isOwnHeader(header) ? [[header, value.replace(/%%/g, '%')]] : [];
  });
}

/** Directives that a map says in its own way, does by itself, or that say nothing to visitors. */
const said = new Set([
  ...gateWords,
  ...['servername', 'serveralias', 'serveradmin', 'serversignature', 'documentroot', 'directoryindex', 'directory'],
  ...['location', 'locationmatch', 'proxy', 'files', 'filesmatch', 'directorymatch', 'proxypass', 'proxypassmatch'],
  ...['proxypassreverse', 'proxypreservehost', 'proxyrequests', 'proxytimeout', 'proxyvia', 'proxyaddheaders'],
  ...['proxypassreversecookiedomain', 'proxypassreversecookiepath', 'proxywebsocketfallbacktoproxyhttp', 'timeout'],
  ...['rewriteengine', 'rewritecond', 'rewriterule', 'rewriteoptions', 'redirect', 'redirectmatch', 'redirecttemp'],
  ...['redirectpermanent', 'alias', 'aliasmatch', 'scriptalias', 'scriptaliasmatch', 'header', 'requestheader'],
  ...[
    'limitrequestbody',
    'protocols',
    'protocolshonororder',
    'usecanonicalname',
    'allowencodedslashes',
    'mergeslashes',
  ],
  ...['errorlog', 'customlog', 'transferlog', 'loglevel', 'logformat', 'setenvif', 'browsermatch', 'setenv', 'options'],
  ...[
    'allowoverride',
    'keepalive',
    'keepalivetimeout',
    'maxkeepaliverequests',
    'filetag',
    'fileetag',
    'adddefaultcharset',
  ],
  ...['remoteipheader', 'remoteipinternalproxy', 'remoteiptrustedproxy', 'hostnamelookups', 'servertokens'],
]);

function listUnsaid(own: readonly Directive[], { left }: Context): void {
  for (const one of own) {
    if (one.name === 'errordocument')
      left.push({
        origin: originOf(one),
        what: 'ErrorDocument',
        why: 'pages for single errors; `pages` of a map has four of its own',
      });
    else if (one.name === 'if' || one.name === 'else' || one.name === 'elseif')
      left.push({
        origin: originOf(one),
        what: `<${one.name} ${one.args.join(' ')}>`,
        why: 'a condition; a map has only gates and methods',
      });
    else if (!said.has(one.name) && !/^(ssl|h2|deflate|expires|addoutputfilter|http2)/.test(one.name))
      left.push({ origin: originOf(one), what: one.name, why: 'a map has nothing like this' });
  }
}
