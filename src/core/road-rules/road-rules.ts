import type * as z from 'zod';
import { bodyLimit } from './body-limit.ts';
import { cors } from './cors.ts';
import { expect } from './expect.ts';
import { hsts } from './hsts.ts';
import { log } from './log.ts';
import { meantSo } from './meant-so.ts';
import { methods } from './methods.ts';
import { plain } from './plain.ts';
import { rate } from './rate.ts';
import { responseHeaders } from './response-headers.ts';
import type { RoadRule, RuleContext } from './rule.ts';
import { securityHeaders } from './security-headers.ts';
import { timeout } from './timeout.ts';

/** Every rule of a road, by the name that it has in plans and documents; in the order of the reference page. */
const rules = {
  methods,
  rate,
  bodyLimitBytes: bodyLimit,
  silenceSeconds: timeout,
  plain,
  hsts,
  headers: responseHeaders,
  defaults: securityHeaders,
  cors,
  log,
  expect,
  meantSo,
} as const;

type Rules = typeof rules;
type AnyRule = RoadRule<string, z.ZodType, unknown, unknown>;

/** What a road says beyond its name, where it leads, and who may pass. */
export type SaidRules = { [Name in keyof Rules]: ReturnType<Rules[Name]['read']> };

/** What is kept on a road beside its gate, with every default filled in. */
export type PlannedRules = { [Name in keyof Rules]: ReturnType<Rules[Name]['plan']> };

/** The keys of the map that set them. */
export type RuleKey = Rules[keyof Rules]['key'];
type KeySchemas = { [Name in keyof Rules as Rules[Name]['key']]: Rules[Name]['schema'] };

/** Each is only given what is its own. */
const list = Object.entries(rules) as unknown as ReadonlyArray<readonly [keyof Rules, AnyRule]>;

/** The keys of a road for them, with what each expects. */
export const ruleKeys = Object.fromEntries(list.map(([, { key, schema }]) => [key, schema])) as unknown as KeySchemas;

/** Their form in documents. */
export const ruleDocuments = Object.fromEntries(list.map(([name, { document }]) => [name, document]));

/** Reads them off the keys of a road that were found sound. */
export function readRules(written: Partial<Record<RuleKey, unknown>>): SaidRules {
  return Object.fromEntries(
    list.map(([name, { key, read }]) => [name, read(written[key as RuleKey])]),
  ) as unknown as SaidRules;
}

/** Fills in what the map leaves open. */
export function planRules(said: SaidRules, of: Omit<RuleContext, 'plain' | 'headers'>): PlannedRules {
  const context = { ...of, plain: said.plain, headers: said.headers };
  return Object.fromEntries(
    list.map(([name, { plan }]) => [name, plan(said[name], context)]),
  ) as unknown as PlannedRules;
}

/** Each in words of the map, by its key; null where nothing is set. */
export function shownRules(planned: PlannedRules): Array<[key: string, shown: string | null]> {
  return list.map(([name, { key, shown }]) => [key, shown(planned[name])]);
}

/** What whoever sets up the service is told of them. */
export function ruleNotes(planned: PlannedRules): string[] {
  return list.flatMap(([name, { note }]) => note?.(planned[name]) ?? []);
}
