import type { PlannedRoad } from '../../plan/plan.ts';
import { allowedMethods, corsHeaders } from '../../verdict/cors.ts';
import { headerCase } from '../header-case.ts';
import { escapePattern } from '../pattern.ts';
import { onRefusal } from './answers.ts';
import { comment, quote, quoteHeader, rewrite } from './quote.ts';

/**
 * The headers of every answer of a road, the service's and the front's own. httpd keeps two tables: `onsuccess` is that of the service's own, `always` goes with
 * every answer beside it.
 */
export function answerLines({ rules, parts }: PlannedRoad, listener: 'http' | 'https'): string[] {
  const { hsts, headers, defaults, cors, methods } = rules;
  const gone = [...headers.map(([name]) => name), ...(cors === null ? [] : corsHeaders.map(headerCase))];
  const hasFolder = parts.some(({ leads }) => leads.kind === 'folder');
  const allowed = methods ?? (hasFolder ? ['GET', 'HEAD'] : null);
  const always = (words: string): string => `Header always ${words}`;
  return [
    comment('What every answer says.'),
    ...gone.map((name) => `Header onsuccess unset ${name}`),
    ...(hsts === null || listener === 'http' ? [] : [always(`set Strict-Transport-Security max-age=${String(hsts)}`)]),
    ...headers.map(([name, value]) => always(`set ${name} ${quoteHeader(value)}`)),
    ...(cors === null ? [] : corsLines(cors)),
    ...defaults.map(([name, value]) => always(`set ${name} ${quoteHeader(value)} "expr=-z resp('${name}')"`)),
    ...(allowed === null ? [] : [always(`set Allow ${quote(allowed.join(', '))} ${onRefusal}`)]),
  ];
}

type Cors = NonNullable<PlannedRoad['rules']['cors']>;

function corsLines(cors: Cors): string[] {
  const granted = preflightHeaders(cors).map(
    ([name, value]) =>
      `Header always set ${name} ${quoteHeader(value)} "expr=%{REQUEST_STATUS} == 204 && -n %{env:mm_granted}"`,
  );
  return [
    ...(cors.origins.includes('*') ? [] : ['Header always add Vary Origin']),
    'Header always set Access-Control-Allow-Origin "%{mm_origin}e" env=mm_origin',
    ...(cors.credentials ? ['Header always set Access-Control-Allow-Credentials true env=mm_origin'] : []),
    ...granted,
  ];
}

function preflightHeaders(cors: Cors): Array<[string, string]> {
  return [
    ['Access-Control-Allow-Methods', allowedMethods(cors).join(', ')],
    ...(cors.headers.length === 0
      ? []
      : [['Access-Control-Allow-Headers', cors.headers.join(', ')] as [string, string]]),
    ...(cors.maxAgeSeconds === null
      ? []
      : [['Access-Control-Max-Age', String(cors.maxAgeSeconds)] as [string, string]]),
  ];
}

/** The origin that may read the answer, whatever that is: known before anything answers. */
export function originLines({ rules: { cors } }: PlannedRoad): string[] {
  if (cors === null) return [];
  if (cors.origins.includes('*')) return rewrite([['%{ENV:mm_from}', '=1']], '-', 'E=mm_origin:*');
  const isOne = cors.origins.map((origin) => `^${escapePattern(origin)}$`).join('|');
  return [
    comment('Pages of other origins.'),
    ...rewrite([['%{HTTP:Origin}', isOne]], '-', 'E=mm_origin:%{HTTP:Origin}'),
  ];
}

/** 10. Answers to preflights. */
export function preflightLines({ rules: { cors } }: PlannedRoad): string[] {
  if (cors === null) return [];
  const asked = ['%{ENV:mm_preflight}', '=1'] as const;
  return [
    ...rewrite([asked, ['%{ENV:mm_origin}', '.']], '-', 'R=204,L,E=mm_granted:1'),
    ...rewrite([asked], '-', 'R=403,L'),
  ];
}
