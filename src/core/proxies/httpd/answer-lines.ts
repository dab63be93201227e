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
    comment('Headers of every answer.'),
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
  // As expressions: httpd answers 421 by itself before any rule of mod_rewrite.
  const mayRead = quote(`expr=req_novary('Origin') =~ m#${originPattern(cors)}#`);
  const isAny = cors.origins.includes('*');
  return [
    ...(isAny ? [] : ['Header always add Vary Origin']),
    `Header always set Access-Control-Allow-Origin ${isAny ? '*' : `"expr=%{req_novary:Origin}"`} ${mayRead}`,
    ...(cors.credentials ? [`Header always set Access-Control-Allow-Credentials true ${mayRead}`] : []),
    ...granted,
  ];
}

/** Of several lines httpd makes one, with commas; one line alone counts. */
function originPattern({ origins }: Cors): string {
  if (origins.includes('*')) return '^[^,]+$';
  return `^(?:${origins.map(escapePattern).join('|')})$`;
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

/** Answers to preflights. */
export function preflightLines({ rules: { cors } }: PlannedRoad): string[] {
  if (cors === null) return [];
  const asked = ['%{ENV:mm_preflight}', '=1'] as const;
  return [
    ...rewrite([asked, ['%{HTTP:Origin}', originPattern(cors)]], '-', 'R=204,L,E=mm_granted:1'),
    ...rewrite([asked], '-', 'R=403,L'),
  ];
}
