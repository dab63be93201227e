import * as z from 'zod';
import { legNames } from '../findings/finding.ts';
import { proxyNames } from '../proxies/names.ts';
import { count, counts, findings, severity, texts } from './shapes.ts';

const leg = z.strictObject({
  outcome: z.enum(['ok', 'wrong', 'warning', 'unsure', 'untested', 'skipped']),
  kind: z.string(),
  says: z.string(),
});

const told = z.strictObject({
  rule: z.string(),
  severity,
  cause: z.string(),
  roads: texts,
  message: z.string(),
});

const rehearsed = {
  how: z.enum(['sealed', 'loopback']),
  why: z.string().nullable(),
  summary: z.strictObject({ played: count, went: count, untested: count }),
  strays: texts,
  cases: z.array(
    z.strictObject({
      road: z.string().nullable(),
      prefix: z.string().nullable(),
      what: z.string(),
      expected: z.string(),
      got: z.string().nullable(),
      untested: z.string().nullable(),
      differences: z.array(z.strictObject({ expected: z.string(), got: z.string() })),
    }),
  ),
};

const moving = z
  .strictObject({
    from: z.enum(proxyNames),
    to: z.enum(proxyNames),
    noticed: z.array(z.strictObject({ id: z.string(), before: z.string(), after: z.string() })),
    odd: count,
    played: count,
    otherwise: z.array(
      z.strictObject({ road: z.string().nullable(), what: z.string(), before: z.string(), after: z.string() }),
    ),
  })
  .nullable()
  .optional();

/** About what is written, and about what really answers. */
export const liveDocuments = {
  write: {
    map: z.string(),
    moving,
    folder: z.string().optional(),
    edition: count.optional(),
    written: z.boolean(),
    throwaway: texts.optional(),
    include: z.strictObject({ line: z.string(), where: z.string() }).nullable().optional(),
    changes: z.array(z.strictObject({ path: z.string(), change: z.enum(['new', 'gone', 'changed']) })).optional(),
    compose: z
      .strictObject({
        file: z.strictObject({ path: z.string(), text: z.string(), changed: z.boolean() }).nullable(),
        ports: z.array(
          z.strictObject({
            service: z.string(),
            file: z.string(),
            line: count,
            written: z.string(),
            instead: z.string().nullable(),
          }),
        ),
      })
      .nullable()
      .optional(),
    stack: z.string().nullable().optional().describe('path of the stack file, where one was written'),
    findings,
    summary: z.strictObject(counts).optional(),
  },
  install: {
    moving,
    map: z.string(),
    end: z.enum(['refused', 'not-yet', 'same', 'live', 'back']),
    running: count.nullable().optional(),
    edition: count.optional(),
    include: z.string().nullable().optional(),
    changes: texts.optional(),
    closed: z.array(z.strictObject({ road: z.string(), how: z.enum(['paused', 'gone', 'gate']) })).optional(),
    findings,
    rehearsal: z.strictObject(rehearsed).optional(),
  },
  'install-units': {
    map: z.string(),
    part: z.enum(['service', 'follow', 'timers']).optional(),
    end: z.enum(['not-yet', 'not-possible', 'same', 'refused', 'installed']).optional(),
    units: z.array(z.strictObject({ path: z.string(), content: z.string() })).optional(),
    findings: findings.optional(),
    summary: z.strictObject(counts).optional(),
  },
  rehearsal: {
    map: z.string(),
    how: rehearsed.how.optional(),
    why: rehearsed.why.optional(),
    strays: rehearsed.strays.optional(),
    cases: rehearsed.cases.optional(),
    summary: z.union([
      rehearsed.summary,
      // Of a map that cannot be read.
      z.strictObject(counts),
    ]),
    findings: findings.optional(),
  },
  editions: {
    map: z.string(),
    current: count.nullable(),
    editions: z.array(
      z.strictObject({
        number: count,
        outcome: z.enum(['written', 'live', 'silent', 'confirmed', 'not-tested', 'returned', 'refused', 'unfinished']),
        at: z.string().nullable(),
        why: z.string().nullable(),
        difference: z.strictObject({ added: texts, gone: texts, changed: texts, others: z.boolean() }).nullable(),
      }),
    ),
  },
  links: {
    map: z.string(),
    links: z.array(z.strictObject({ url: z.string(), on: z.enum(['mobile data', 'Wi-Fi at home']), see: z.string() })),
  },
  verify: {
    map: z.string(),
    front: texts,
    vantage: z.strictObject({
      from: z.string().nullable(),
      place: z.enum(['machine', 'router', 'home', 'outside']),
      seenAs: z.string().nullable(),
      at: texts,
    }),
    roads: z.array(z.strictObject({ name: z.string(), legs: z.record(z.enum(legNames), leg) })),
    findings,
    explained: z.array(z.strictObject({ rule: z.string(), leg: z.enum(legNames), road: z.string(), by: z.string() })),
    summary: z.strictObject({
      ...counts,
      roads: z.strictObject({ well: count, untested: count, unsure: count, faulty: count }),
    }),
    since: z.strictObject({ last: z.string(), come: z.array(told), gone: z.array(told) }).optional(),
    monthly: findings.optional(),
  },
};
