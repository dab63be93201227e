import { isWildcard } from '../../names/wildcard.ts';
import type { Plan, PlannedRoad } from '../../plan/plan.ts';
import { comment, escapeSubstitution, quote, quoteRewrite, rewrite, section } from './quote.ts';

/** A wildcard is proven by DNS only (RFC 8555 §7.1.3). */
export function mayBeProven({ challenges }: Plan, { name }: PlannedRoad): boolean {
  return challenges !== null && !isWildcard(name);
}

/** Pending tokens are files, each in the folder of its name. */
export function challengeFolder({ challenges }: Plan): string[] {
  if (challenges === null) return [];
  return section('Directory', quote(challenges), [
    'AllowOverride None',
    comment('Links are not followed.'),
    'Options None',
    'Require all granted',
    'ForceType text/plain',
  ]);
}

/** A pending token of an authority (RFC 8555 §8.3); what is not pending goes the way of all requests. */
export function challengeLines({ challenges }: Plan): string[] {
  if (challenges === null) return [];
  const file = `${escapeSubstitution(challenges)}/%{SERVER_NAME}%{ENV:mm_path}`;
  return [
    comment('Pending ACME challenges.'),
    ...rewrite(
      [
        ['%{REQUEST_METHOD}', '^(?:GET|HEAD)$'],
        ['%{THE_REQUEST}', '^[^ ?]+ [^ ?]+ '],
        ['%{ENV:mm_path}', '^/\\.well-known/acme-challenge/[A-Za-z0-9_-]{1,200}$'],
        [file, '-f'],
        [file, '!-h'],
      ],
      quoteRewrite(file),
      'L,E=mm_own:1',
    ),
  ];
}
