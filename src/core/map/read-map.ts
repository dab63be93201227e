import type * as z from 'zod';
import { tell } from '../findings/card.ts';
import type { Finding, Place } from '../findings/finding.ts';
import { nearest } from '../findings/nearest.ts';
import { remembered } from '../remembered.ts';
import { readYaml, type YamlText } from '../yaml/document.ts';
import { mapKeyDouble, mapKeyMissing, mapKeyUnknown, mapUnreadable, mapValueWrong, nameInvalid } from './cards.ts';
import { keyHint, standsFor } from './key-hints.ts';
import { normalizeMap } from './normalize.ts';
import { readAgain, type MapResult } from './read-again.ts';
import { renamedKey, renamedValue } from './renamed.ts';
import { knownKeys } from './schema/describe.ts';
import { mapSchema } from './schema/map.ts';
import { label, type IssueWords } from './schema/words.ts';

/**
 * Reads the text of a map: structure, keys and values, then what several values prove together. All findings at once.
 *
 * @param file path as it shall stand in findings
 */
export const readMap = remembered<{ file: string; text: string }, MapResult>(
  (input, last) => (last === undefined ? null : readAgain(last, input, readMapText)) ?? readMapText(input),
  ({ file, text }) => `${file}\n${text}`,
);

function readMapText(
  { file, text }: { file: string; text: string },
  lineOf = (line: number): number => line,
): MapResult {
  const yaml = readYaml({ file, text, lineOf });
  if (yaml.problems.length > 0) {
    const findings = yaml.problems.map(({ say, data, where }) => tell(mapUnreadable, { say, data, where }));
    return { map: null, findings };
  }
  const findings = yaml.doubles.map(({ key, first, where }) =>
    tell(mapKeyDouble, { say: 'double', data: { key, first }, where }),
  );
  const parsed = mapSchema.safeParse(yaml.value);
  if (!parsed.success) {
    const issues = withoutMisspelled(parsed.error.issues, yaml);
    findings.push(...issues.flatMap((issue) => findingsOfIssue(issue, yaml)));
  }
  // What could be read is checked further, so that one wrong port does not hide two equal names.
  const keys = parsed.success ? parsed.data : salvage(yaml.value);
  const normalized = keys === null ? { map: null, findings: [] } : normalizeMap({ file, keys, yaml });
  findings.push(...normalized.findings);
  return { map: findings.length > 0 ? null : normalized.map, findings };
}

/** The roads and domains that are right by themselves, when something else in the map is wrong. */
function salvage(value: unknown): z.output<typeof mapSchema> | null {
  const { domains, roads } = value as { domains?: unknown; roads?: unknown };
  const { domains: domainList, roads: roadRecord } = mapSchema.shape;
  const soundDomains = (Array.isArray(domains) ? domains : [domains]).filter(
    (domain) => domainList.safeParse(domain).success,
  );
  const soundRoads = Object.entries(typeof roads === 'object' && roads !== null ? roads : {}).filter(
    ([, road]) => roadRecord.safeParse({ road }).success,
  );
  const parsed = mapSchema.safeParse({
    // A domain that nobody can have stands in where none is right, so that the roads are still looked at.
    domains: soundDomains.length > 0 ? soundDomains : ['domain.invalid'],
    front: { address: '127.0.0.1' },
    roads: Object.fromEntries(soundRoads) as unknown,
    // Roads name these; what they are does not matter here.
    ...Object.fromEntries(Object.entries(standIns).map(([key, standIn]) => [key, named(value, key, standIn)])),
  });
  return parsed.success ? parsed.data : null;
}

const standIns = {
  gates: { networks: '127.0.0.1' },
  certificates: { names: 'domain.invalid', from: 'practice' },
  machines: { engine: 'unix:///none', address: '127.0.0.1' },
};

/** The same names, each with something sound behind it. */
function named(value: unknown, key: string, standIn: object): Record<string, object> {
  const written = (value as Record<string, unknown>)[key];
  const names = typeof written === 'object' && written !== null && !Array.isArray(written) ? Object.keys(written) : [];
  return Object.fromEntries(names.filter((name) => label('').safeParse(name).success).map((name) => [name, standIn]));
}

/** A key that is misspelled is missing too: that is one mistake. */
function withoutMisspelled(issues: readonly z.core.$ZodIssue[], yaml: YamlText): z.core.$ZodIssue[] {
  const unknown = issues.flatMap(({ path, ...issue }) =>
    issue.code === 'unrecognized_keys' ? issue.keys.map((key) => ({ path, key })) : [],
  );
  return issues.filter(({ path }) => {
    if (path.length === 0 || valueAt(yaml.value, path) !== undefined) return true;
    const parent = path.slice(0, -1);
    const missing = String(path[path.length - 1]);
    return !unknown.some(
      (one) =>
        nameOf(one.path) === nameOf(parent) &&
        (nearest(one.key, knownKeys(parent)) === missing || standsFor(parent, one.key, missing)),
    );
  });
}

function findingsOfIssue(issue: z.core.$ZodIssue, yaml: YamlText): Finding[] {
  const path = issue.path;
  if (issue.code === 'unrecognized_keys') return issue.keys.map((key) => unknownKey(path, key, yaml));
  if (issue.code === 'invalid_key') return [wrongKey(issue, yaml)];
  const words = issue.code === 'custom' ? (issue.params as IssueWords | undefined) : undefined;
  if (words !== undefined) return [ownWords(words, path, yaml)];
  const where = yaml.placeOf(path);
  const key = nameOf(path);
  if (path.length > 0 && valueAt(yaml.value, path) === undefined) {
    const parent = nameOf(path.slice(0, -1));
    return [
      tell(mapKeyMissing, {
        say: 'missing',
        data: { parent, key: String(path[path.length - 1]), expects: issue.message },
        where,
      }),
    ];
  }
  const text = yaml.textAt(path);
  const renamed = renamedValue(path, text, yaml);
  if (renamed !== null) return [renamed];
  const near = issue.code === 'invalid_value' ? nearest(text, issue.values.map(String)) : null;
  if (near !== null) {
    return [tell(mapValueWrong, { say: 'near', data: { key, expects: issue.message, text, near }, where })];
  }
  const isMap = typeof valueAt(yaml.value, path) === 'object';
  const say = isMap && /^[{[]?\s*[0-9a-f]*(:[0-9a-f]*){2,}/i.test(text) ? 'address-unquoted' : 'expects';
  return [tell(mapValueWrong, { say, data: { key, expects: issue.message, text }, where })];
}

function unknownKey(path: readonly PropertyKey[], key: string, yaml: YamlText): Finding {
  const known = knownKeys(path);
  const renamed = renamedKey(path, key, yaml);
  if (renamed !== null) return renamed;
  const hint = keyHint(path, key);
  const near = nearest(key, known);
  const data = { key, parent: nameOf(path), known: known.join(', '), near: near ?? '', hint: hint ?? '' };
  const say = hint !== null ? 'hint' : near !== null ? 'near' : 'far';
  return tell(mapKeyUnknown, { say, data, where: yaml.placeOfKey([...path, key]) });
}

function wrongKey({ path, issues }: z.core.$ZodIssueInvalidKey, yaml: YamlText): Finding {
  const data = {
    parent: nameOf(path.slice(0, -1)),
    text: String(path[path.length - 1]),
    expects: issues[0]?.message ?? 'another form',
  };
  return tell(mapValueWrong, { say: 'key-form', data, where: yaml.placeOfKey(path) });
}

function ownWords(words: IssueWords, path: readonly PropertyKey[], yaml: YamlText): Finding {
  const where: Place = yaml.placeOf(path);
  const data = { key: nameOf(path), ...words.data };
  return words.rule === 'name-invalid'
    ? tell(nameInvalid, { say: words.say as keyof typeof nameInvalid.messages, data, where })
    : tell(mapValueWrong, { say: words.say as keyof typeof mapValueWrong.messages, data, where });
}

function valueAt(value: unknown, path: readonly PropertyKey[]): unknown {
  let here = value;
  for (const step of path) {
    // A short form has no parts of its own; what is wrong with it is wrong with the whole.
    if (typeof here !== 'object' || here === null) return here;
    here = (here as Record<PropertyKey, unknown>)[step];
  }
  return here;
}

/** How a path reads to a person: `front.ports.http`, or "the map" for the top. List positions are left out. */
function nameOf(path: readonly PropertyKey[]): string {
  const parts = path.filter((step) => typeof step !== 'number').map(String);
  return parts.length === 0 ? 'the map' : parts.join('.');
}
