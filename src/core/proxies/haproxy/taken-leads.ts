import type { TakenLeads } from '../../takeover/taken-over.ts';
import { redirectLeads, serviceWords } from '../../takeover/words.ts';
import { forName, pairsOf, type Condition } from './conditions.ts';
import { mapOf, rulesOf, type Configuration, type Frontend, type Ruled } from './serving.ts';
import { originOf, type Asked } from './taken-gates.ts';
import type { Line, Section } from './tree.ts';

/** Where a prefix of a name leads, and the rules that it passes on the way. `https`: to the same name over HTTPS, which every road of a map does. */
export interface Lead {
  prefix: string;
  leads: TakenLeads | 'https';
  of: Line;
  backend: Section | null;
}

/** Where the paths of a name lead: redirects first, then the first backend that fits. The one that leads every path is the last. */
export function leadsOfName(frontend: Frontend, configuration: Configuration, asked: Asked): Lead[] {
  const { rules, section } = frontend;
  const found: Lead[] = [];
  const isWhole = (): boolean => found.some(({ prefix }) => prefix === '/');
  for (const one of rules.filter(isRedirect)) {
    if (!isWhole()) found.push(...redirectOf(one, asked));
  }
  for (const one of rules) {
    const [kind, word = ''] = one.line.words;
    if (isWhole() || (kind !== 'use_backend' && kind !== 'default_backend')) continue;
    const condition = kind === 'default_backend' ? [[]] : forName(one.condition, asked.name, asked.secure);
    const name = condition === null ? null : backendName(word, asked.name, configuration);
    if (name !== null && condition !== null) found.push(...toBackend(name, condition, one.line, configuration, asked));
  }
  if (!isWhole() && section.kind === 'listen')
    found.push(...toBackend(section.name, [[]], section.head, configuration, asked));
  return found;
}

function isRedirect({ line: { words } }: Ruled): boolean {
  return words[0] === 'redirect' || (words[0] === 'http-request' && words[1] === 'redirect');
}

function backendName(word: string, name: string, { lists }: Configuration): string | null {
  const map = mapOf(word);
  if (map === null) return word;
  const pairs = new Map(pairsOf(lists.get(map.file) ?? '').map(([key, value]) => [key.toLowerCase(), value]));
  return pairs.get(name) ?? map.otherwise;
}

function toBackend(
  name: string,
  condition: Condition,
  line: Line,
  { backends, lists }: Configuration,
  asked: Asked,
): Lead[] {
  const left = (of: Line, what: string, why: string): [] => {
    asked.left.push({ origin: originOf(of), what, why });
    return [];
  };
  const backend = backends.get(name);
  if (backend === undefined) return left(line, line.words.join(' '), 'its backend is only known at run time');
  const prefixes = prefixesOf(condition);
  if (prefixes === null)
    return left(line, line.words.join(' '), 'depends on a condition; a map has only gates and methods');
  const leads = backendLeads(backend, rulesOf(backend, lists), asked);
  return leads === null ? [] : prefixes.map((prefix) => ({ prefix, leads, of: line, backend }));
}

/** Null when something else is asked for than paths. */
function prefixesOf(condition: Condition): string[] | null {
  const found: string[] = [];
  for (const terms of condition) {
    const [only, ...others] = terms;
    if (only === undefined) return ['/'];
    if (others.length > 0 || only.isNegated || only.test.of !== 'prefix') return null;
    found.push(...only.test.prefixes);
  }
  return found;
}

function backendLeads(backend: Section, rules: readonly Ruled[], asked: Asked): TakenLeads | 'https' | null {
  const [whole] = rules
    .filter(isRedirect)
    .flatMap((one) => redirectOf(one, asked).filter(({ prefix }) => prefix === '/'));
  if (whole !== undefined) return whole.leads;
  for (const { line } of rules) {
    const [kind, action = ''] = line.words;
    const rewrites =
      (kind === 'http-request' && /^(set|replace|normalize)-(path|pathq|uri)$/.test(action)) || kind === 'reqrep';
    if (rewrites)
      asked.left.push({
        origin: originOf(line),
        what: line.words.join(' '),
        why: 'rewrites paths; a map leaves the path as it is',
      });
  }
  const servers = backend.lines.filter(({ words }) => /^server(-template)?$/.test(words[0] ?? ''));
  const [first] = servers;
  if (first === undefined) {
    asked.left.push({ origin: originOf(backend.head), what: `backend ${backend.name}`, why: 'has no server' });
    return null;
  }
  if (servers.length > 1)
    asked.left.push({
      origin: originOf(backend.head),
      what: `backend ${backend.name}`,
      why: 'spreads over several servers; a road leads to one, here the first',
    });
  const [, , address = ''] = first.words;
  if (first.words[0] !== 'server' || /^(unix@|\/|abns@|fd@)/.test(address) || address.includes('$')) {
    const why = 'a socket file; publish a port of the service instead';
    asked.left.push({ origin: originOf(first), what: first.words.slice(0, 3).join(' '), why });
    return null;
  }
  const after = (word: string): string | null => first.words[first.words.indexOf(word) + 1] ?? null;
  const secure = first.words.includes('ssl');
  const checks = first.words.includes('verify') ? after('verify') === 'required' : first.words.includes('ca-file');
  const host = rules.find(
    ({ line: { words } }) => words[0] === 'http-request' && words[1] === 'set-header' && /^host$/i.test(words[2] ?? ''),
  )?.line.words[3];
  return {
    kind: 'service',
    to: serviceWords(secure ? 'https' : 'http', authorityOf(address)),
    insecure: secure && !checks,
    sayHost: host === undefined || host.includes('%') ? null : host,
  };
}

/** haproxy writes IPv6 without brackets too; what stands behind the last colon is the port (§4.2, `server`). */
function authorityOf(address: string): string {
  const [, host = '', port = ''] = /^(?:ipv[46]@)?(.*):(\d+)$/.exec(address) ?? [];
  if (port === '') return address.replace(/^ipv[46]@/, '');
  return host.includes(':') && !host.startsWith('[') ? `[${host}]:${port}` : `${host}:${port}`;
}

/** What is done to the visitor's own path in a `location`: passed on. */
const ownPath = /%\[(?:pathq|path|capture\.req\.uri|url|req\.uri)\]$|%\[path\]%\[query\]$|%HU$/;

function redirectOf({ line, condition }: Ruled, { name, secure, left }: Asked): Lead[] {
  const held = forName(condition, name, secure);
  if (held === null) return [];
  const words = line.words.slice(line.words.indexOf('redirect') + 1);
  const value = (word: string): string => words[words.indexOf(word) + 1] ?? '';
  const shown = line.words.join(' ');
  const unsaid = (why: string): [] => {
    left.push({ origin: originOf(line), what: shown, why });
    return [];
  };
  const prefixes = prefixesOf(held);
  // Challenges of authorities are kept out of many a redirect to HTTPS.
  const isScheme = words[0] === 'scheme';
  if (isScheme && value('scheme') === 'https')
    return secure ? [] : [{ prefix: '/', leads: 'https', of: line, backend: null }];
  if (prefixes?.join() !== '/') return unsaid('redirects only some paths, or by a condition');
  const target = words[0] === 'prefix' || words[0] === 'location' ? value(words[0]) : '';
  const isKept = words[0] === 'prefix' || ownPath.test(target);
  const [, scheme = '', host = '', rest = ''] = /^(https?):\/\/([^/%]*)(.*)$/.exec(target.replace(ownPath, '')) ?? [];
  if (scheme === '' || /%/.test(rest)) return unsaid('a target that is only known at run time');
  const code = words.includes('code') ? value('code') : '302';
  const origin = originOf(line);
  const same = host === name;
  const leads = redirectLeads(
    {
      scheme,
      host: isKept ? `${host}${rest.replace(/\/$/, '')}` : host,
      rest,
      keeps: isKept,
      permanent: code === '301' || code === '308',
      origin,
      shown: target,
    },
    same,
    left,
  );
  return [{ prefix: '/', leads, of: line, backend: null }];
}
