import type { Left, TakenOver, TakenRoad } from '../../takeover/taken-over.ts';
import { isOwnHeader, once, readableName, usualPort } from '../../takeover/words.ts';
import { readConfiguration, rulesOf, type Configuration, type Frontend, type Ruled } from './serving.ts';
import { gateOf, keepsOut, originOf, type Asked } from './taken-gates.ts';
import { leadsOfName } from './taken-leads.ts';
import { partsOf, type Section } from './tree.ts';

/**
 * What a haproxy serves by files made by hand, read off those it is started with. Nothing that cannot be said in a map goes unsaid: it is listed with its place
 * and the reason.
 */
export function takeOver(dump: string): TakenOver {
  const configuration = readConfiguration(partsOf(dump));
  const left: Left[] = [];
  const roads = new Map<string, { road: TakenRoad; secure: boolean }>();
  const isSecure = ({ binds }: Frontend): boolean => binds.some(({ secure }) => secure);
  const frontends = [...configuration.frontends].sort((a, b) => Number(isSecure(b)) - Number(isSecure(a)));
  for (const frontend of frontends) {
    if (!listed(frontend, left)) continue;
    for (const road of roadsOf(frontend, isSecure(frontend), configuration, left)) {
      const known = roads.get(road.name);
      if (known === undefined) roads.set(road.name, { road, secure: isSecure(frontend) });
    }
  }
  const binds = frontends.flatMap((one) => (one.isHttp ? one.binds : []));
  const usual = (secure: boolean): number | null =>
    usualPort(binds.flatMap((one) => (one.secure === secure ? [one.port] : [])));
  return {
    roads: [...roads.values()].map(({ road }) => road),
    left: once(left),
    addresses: [...new Set(binds.flatMap(({ address }) => address ?? []))],
    ports: { http: usual(false) ?? 80, https: usual(true) ?? 443 },
  };
}

/** Says what of a frontend is not read name by name. */
function listed({ section, isHttp, binds, names, patterns, rules }: Frontend, left: Left[]): boolean {
  const say = (what: string, why: string): void => void left.push({ origin: originOf(section.head), what, why });
  const shown = `${section.kind} ${section.name}`;
  if (!isHttp) {
    say(shown, 'passes bytes on; write it under `ports`, or let the front end TLS');
    return false;
  }
  // Its own figures are for whoever runs it.
  const isStats = section.lines.some(({ words }) => words[0] === 'stats') && names.length === 0;
  if (isStats || binds.length === 0) return false;
  if (patterns) say(shown, 'has a pattern of names; write each name as a road, or `others` for all of them');
  const whole = rules.find(({ line }) => line.words[0] === 'default_backend')?.line;
  const isServer = section.kind === 'listen' && section.lines.some(({ words }) => words[0] === 'server');
  if (whole !== undefined || isServer)
    left.push({
      origin: originOf(whole ?? section.head),
      what: whole?.words.join(' ') ?? shown,
      why: 'answers every name that is not named; write each as a road, or `others` for all of them',
    });
  const pairs = [...new Set(binds.flatMap((one) => one.pairs))];
  if (pairs.length > 1 || pairs.some(isFolder))
    say(pairs.map((one) => `crt ${one}`).join(' '), 'several pairs; take over each with `mile-marker certs import`');
  return true;
}

function isFolder(path: string): boolean {
  return path.endsWith('/') || !/\.[^/]+$/.test(path);
}

function roadsOf(frontend: Frontend, secure: boolean, configuration: Configuration, left: Left[]): TakenRoad[] {
  return frontend.names.flatMap((written) => {
    const name = readableName(written);
    if (name === null) {
      left.push({ origin: originOf(frontend.section.head), what: `the name ${written}`, why: 'not a full host name' });
      return [];
    }
    return roadOf(frontend, configuration, { name, secure, left }) ?? [];
  });
}

function roadOf(frontend: Frontend, configuration: Configuration, asked: Asked): TakenRoad | null {
  const { section, binds, rules } = frontend;
  const { name, secure, left } = asked;
  const found = leadsOfName(frontend, configuration, asked);
  const root = found.find(({ prefix }) => prefix === '/');
  if (root?.leads === 'https') return null;
  if (root === undefined) {
    left.push({ origin: originOf(section.head), what: name, why: 'leads to a place that a map cannot describe' });
    return null;
  }
  if (!secure)
    left.push({
      origin: originOf(root.of),
      what: name,
      why: 'was served over plain HTTP; a road sends visitors to HTTPS, unless it says `plain: true`',
    });
  const backend = root.backend === null || root.backend === section ? [] : rulesOf(root.backend, configuration.lists);
  const all = [...rules, ...backend];
  // A gate on a part counts for the whole road.
  const parts = new Set(found.flatMap((one) => (one.backend === root.backend ? [] : (one.backend ?? []))));
  const ofParts = [...parts].flatMap((one) => rulesOf(one, configuration.lists));
  // Rules stand in one order: what is behind a redirect keeps nobody from it.
  const behind = root.backend === null ? rules.findIndex(({ line }) => line === root.of) : -1;
  const before = behind < 0 ? [...all, ...ofParts] : rules.slice(0, behind);
  const isRedirect = root.leads.kind === 'redirect';
  if (!isRedirect) listUnsaid(all, asked);
  const pairs = [...new Set(binds.flatMap((one) => one.pairs))];
  const [pair] = pairs;
  return {
    name,
    origin: originOf(root.of),
    leads: root.leads,
    paths: isRedirect
      ? []
      : found.flatMap(({ prefix, leads, of }) =>
          prefix === '/' || leads === 'https' ? [] : [{ prefix, leads, origin: originOf(of) }],
        ),
    gate: gateOf(before, asked),
    certificate:
      pair === undefined || pairs.length > 1 || isFolder(pair)
        ? null
        : { certificate: pair, key: configuration.lists.has(`${pair}.key`) ? `${pair}.key` : pair },
    rules: {
      timeout: isRedirect ? null : timeOf(root.backend),
      'response-headers': isRedirect ? [] : headersOf(all),
    },
  };
}

/** In milliseconds where no unit is said (§2.5). */
function timeOf(backend: Section | null): string | null {
  const value = backend?.lines.find(({ words }) => words[0] === 'timeout' && words[1] === 'server')?.words[2] ?? '';
  const [, digits = '', unit = 'ms'] = /^(\d+)(us|ms|s|m|h|d)?$/.exec(value) ?? [];
  if (digits === '' || unit === 'us') return null;
  return unit === 'ms' ? `${String(Math.max(1, Math.round(Number(digits) / 1000)))}s` : `${digits}${unit}`;
}

function headersOf(rules: readonly Ruled[]): Array<[string, string]> {
  return rules.flatMap(({ line: { words }, condition }): Array<[string, string]> => {
    const [kind, action = '', header = '', value = ''] = words;
    const isPlain = kind === 'http-response' && /^(set|add)-header$/.test(action) && condition === null;
    return isPlain && !value.includes('%[') && !isOwnHeader(header) ? [[header, value.replace(/%%/g, '%')]] : [];
  });
}

/** Lines that a map says in its own way, does by itself, or that say nothing to visitors. */
const said =
  /^(bind|mode|acl|use_backend|default_backend|redirect|server|server-template|timeout|option|balance|log|maxconn|retries|description|default-server|cookie|hash-type|fullconn|id|monitor-uri|unique-id-.*|capture|compression|filter|http-check|tcp-check|http-reuse|load-server-state-from-file|errorfile|errorfiles|stats)$/;

function listUnsaid(rules: readonly Ruled[], { left }: Asked): void {
  for (const rule of rules) {
    const { line, condition } = rule;
    const [kind = '', action = '', header = ''] = line.words;
    const isOfVisitor = /^x-forwarded-|^x-real-ip$|^forwarded$/i.test(header);
    const isSaid =
      said.test(kind) ||
      keepsOut(rule) ||
      (kind === 'http-request' &&
        (/^(redirect|set-path|replace-path|set-pathq|set-uri|replace-uri|capture|set-var)/.test(action) ||
          isOfVisitor)) ||
      (kind === 'http-request' && /^set-header$/.test(action) && /^host$/i.test(header)) ||
      (kind === 'http-response' && /^(set|add|del)-header$/.test(action) && condition === null) ||
      (kind === 'tcp-request' && action === 'inspect-delay');
    if (!isSaid) left.push({ origin: originOf(line), what: line.words.join(' '), why: 'a map has nothing like this' });
    else if (kind === 'errorfile' || kind === 'errorfiles')
      left.push({
        origin: originOf(line),
        what: kind,
        why: 'pages for single errors; `pages` of a map has four of its own',
      });
  }
}
