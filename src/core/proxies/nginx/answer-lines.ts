import { dialledParts } from '../../plan/parts.ts';
import type { PlannedRoad } from '../../plan/plan.ts';
import { allowedMethods, corsHeaders } from '../../verdict/cors.ts';
import { variable } from './ids.ts';
import { escapePattern } from '../pattern.ts';
import { block, pattern, quote } from './quote.ts';
import { defaultVariable } from './shared-maps.ts';

/** What of a service's answer the road says itself. */
export function hiddenLines({ rules: { headers, cors } }: PlannedRoad): string[] {
  const hidden = headers.map(([header]) => header);
  return [...hidden, ...(cors === null ? [] : corsHeaders)].map((header) => `proxy_hide_header ${header};`);
}

/**
 * The headers of every answer of a road. They stand in the server; a location that adds one has to repeat them all, since a single
 * `add_header` drops what was inherited. What depends on the answer stands in variables, and an empty one sends nothing.
 */
export function answerLines(road: PlannedRoad, listener: 'http' | 'https'): string[] {
  const { name, rules } = road;
  const { hsts, headers, defaults, cors } = rules;
  const set = headers.map(([header, value]) => addHeader(header, quote(value)));
  return [
    ...(hsts === null || listener === 'http'
      ? []
      : [addHeader('Strict-Transport-Security', quote(`max-age=${String(hsts)}`))]),
    ...set,
    ...defaults.map(([header, value]) => addHeader(header, defaultVariable(header, value))),
    addHeader('Allow', mayRefuseMethods(road) ? v(name, 'allow') : '$mile_marker_allow'),
    ...(dialledParts([road]).length === 0 ? [] : [addHeader('Upgrade', '$mile_marker_upgraded')]),
    ...(rules.rate === null ? [] : [addHeader('Retry-After', v(name, 'wait'))]),
    ...(cors === null ? [] : corsLines(name, cors)),
  ];
}

/** Maps of the road, outside its servers. `$upstream_addr` is empty while the front answers by itself. */
export function answerMaps(road: PlannedRoad): string[] {
  const { name, rules } = road;
  const { cors, rate, methods } = rules;
  const onStatus = (what: string, line: string): string[] =>
    block(`map "$status$upstream_addr" ${v(name, what)}`, ['default "";', line]);
  return [
    ...(mayRefuseMethods(road) ? onStatus('allow', `405 ${quote((methods ?? ['GET', 'HEAD']).join(', '))};`) : []),
    ...(rate === null ? [] : onStatus('wait', `429 ${String(Math.ceil(rate.perSeconds / rate.requests))};`)),
    ...(cors === null ? [] : corsMaps(name, cors)),
  ];
}

type Rules = PlannedRoad['rules'];

function mayRefuseMethods({ rules, parts }: PlannedRoad): boolean {
  return rules.methods !== null || parts.some(({ leads }) => leads.kind === 'folder');
}

function corsMaps(name: string, cors: NonNullable<Rules['cors']>): string[] {
  // As a pattern: nginx compares plain text without case, and browsers do not.
  const origins = cors.origins.includes('*')
    ? ['"~." "*";']
    : cors.origins.map((origin) => `${pattern(`~^${escapePattern(origin)}$`)} $mile_marker_origin;`);
  const granted = (what: string, value: string): string[] =>
    block(`map "$status${v(name, 'preflight')}" ${v(name, what)}`, ['default "";', `204granted ${quote(value)};`]);
  return [
    ...block(`map $mile_marker_origin ${v(name, 'origin')}`, ['default "";', ...origins]),
    ...block(`map "$mile_marker_preflight${v(name, 'origin')}" ${v(name, 'preflight')}`, [
      'default "";',
      '1 refused;',
      '"~^1." granted;',
    ]),
    ...(cors.credentials
      ? block(`map ${v(name, 'origin')} ${v(name, 'credentials')}`, ['default true;', '"" "";'])
      : []),
    ...granted('methods', allowedMethods(cors).join(', ')),
    ...(cors.headers.length === 0 ? [] : granted('headers', cors.headers.join(', '))),
    ...(cors.maxAgeSeconds === null ? [] : granted('age', String(cors.maxAgeSeconds))),
  ];
}

function corsLines(name: string, cors: NonNullable<Rules['cors']>): string[] {
  return [
    ...(cors.origins.includes('*') ? [] : [addHeader('Vary', 'Origin')]),
    addHeader('Access-Control-Allow-Origin', v(name, 'origin')),
    ...(cors.credentials ? [addHeader('Access-Control-Allow-Credentials', v(name, 'credentials'))] : []),
    addHeader('Access-Control-Allow-Methods', v(name, 'methods')),
    ...(cors.headers.length === 0 ? [] : [addHeader('Access-Control-Allow-Headers', v(name, 'headers'))]),
    ...(cors.maxAgeSeconds === null ? [] : [addHeader('Access-Control-Max-Age', v(name, 'age'))]),
  ];
}

/** Refusals before rate and gate: 405, and the answers to preflights. */
export function methodLines({ name, rules }: PlannedRoad): string[] {
  const { methods, cors } = rules;
  return [
    ...(methods === null
      ? []
      : block(`if ($request_method !~ ${pattern(`^(?:${methods.map(escapePattern).join('|')})$`)})`, ['return 405;'])),
    ...(cors === null
      ? []
      : [
          ...block(`if (${v(name, 'preflight')} = granted)`, ['return 204;']),
          ...block(`if (${v(name, 'preflight')} = refused)`, ['return 403;']),
        ]),
  ];
}

/** `always`: on error answers too. */
export function addHeader(name: string, value: string): string {
  return `add_header ${name} ${value} always;`;
}

function v(name: string, what: string): string {
  return `$${variable(name, what)}`;
}
