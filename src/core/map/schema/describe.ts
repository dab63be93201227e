import * as z from 'zod';
import { mapSchema } from './map.ts';
import type { KeyMeta } from './words.ts';

/** One key as a person reads about it. `byDefault` is null when there is no default. */
interface KeyPage extends Pick<KeyMeta, 'description' | 'example' | 'later'> {
  path: string;
  expects: string;
  byDefault: string | null;
}

/** Every key of the map, in its order, for the reference page. `NAME` stands for a key that is free. */
export function describeKeys(): KeyPage[] {
  return below(mapSchema, '');
}

function below(schema: z.ZodType, path: string): KeyPage[] {
  return Object.entries(shapeOf(schema)).flatMap(([key, value]) => {
    const own = `${path}${key}`;
    const record = recordIn(value);
    const within = record === null ? below(value, `${own}.`) : below(record, `${own}.NAME.`);
    return [describeKey(own, value), ...within];
  });
}

function describeKey(path: string, schema: z.ZodType): KeyPage {
  const { description, example, later } = schema.meta() as unknown as KeyMeta;
  const missing = schema.safeParse(undefined);
  const known = missing.success && missing.data !== undefined && path !== 'roads';
  return {
    path,
    expects: expects(schema),
    byDefault: known ? asYaml(missing.data) : null,
    description,
    example,
    ...(later === undefined ? {} : { later }),
  };
}

/** No key takes a list of an empty map; some take any list of texts, and then the list itself is what they say. */
function expects(schema: z.ZodType): string {
  const wrong = [[], 7, [[]]].map((value) => schema.safeParse(value)).find(({ success }) => !success);
  return wrong?.error?.issues[0]?.message ?? '';
}

function asYaml(value: unknown): string {
  if (Array.isArray(value)) return value.join(', ');
  if (typeof value !== 'object' || value === null) return String(value);
  return `{${Object.entries(value)
    .map(([key, part]) => `${key}: ${String(part)}`)
    .join(', ')}}`;
}

/** The keys known at a path of the map, for "did you mean". Empty where keys are free (below `roads`). */
export function knownKeys(path: readonly PropertyKey[]): string[] {
  return Object.keys(shapeOf(schemaAt(path)));
}

/** A key of the map that was written and is not carried out yet. */
interface LaterKey {
  path: string[];
  severity: NonNullable<KeyMeta['later']>;
}

/** Finds every key of a map's plain value that comes later. What stands below such a key is told with it. */
export function laterKeys(value: unknown): LaterKey[] {
  return walk(mapSchema, value, []);
}

function walk(schema: z.ZodType, value: unknown, path: string[]): LaterKey[] {
  if (typeof value !== 'object' || value === null || !hasLater(schema)) return [];
  const record = recordIn(schema);
  const shape = shapeOf(schema);
  return Object.entries(value).flatMap(([key, part]: [string, unknown]) => {
    // A key such as `valueOf` is no key of ours, though every object answers to it.
    const next = record ?? (Object.hasOwn(shape, key) ? shape[key] : undefined);
    if (next === undefined) return [];
    const own = [...path, key];
    const later = record === null ? (next.meta() as KeyMeta | undefined)?.later : undefined;
    return later === undefined ? walk(next, part, own) : [{ path: own, severity: later }];
  });
}

const withLater = new WeakMap<z.ZodType, boolean>();

/** Whether any key below comes later: ten thousand roads are not looked through for nothing. */
function hasLater(schema: z.ZodType): boolean {
  const before = withLater.get(schema);
  if (before !== undefined) return before;
  const record = recordIn(schema);
  const parts = record === null ? Object.values(shapeOf(schema)) : [record];
  const found = parts.some((part) => (part.meta() as KeyMeta | undefined)?.later !== undefined || hasLater(part));
  withLater.set(schema, found);
  return found;
}

function schemaAt(path: readonly PropertyKey[]): z.ZodType {
  let here: z.ZodType = mapSchema;
  for (const step of path) {
    const shape = shapeOf(here);
    here = recordIn(here) ?? (Object.hasOwn(shape, step) ? shape[String(step)] : undefined) ?? z.never();
  }
  return here;
}

/** The keys of an object schema, through whatever it is wrapped in; for a union, of its one object. */
function shapeOf(schema: z.ZodType): Record<string, z.ZodType> {
  const bare = unwrapped(schema);
  if (bare instanceof z.ZodObject) return bare.shape as Record<string, z.ZodType>;
  if (!(bare instanceof z.ZodUnion)) return {};
  const object = bare.options.find((option) => option instanceof z.ZodObject);
  return object instanceof z.ZodObject && hasWords(object) ? (object.shape as Record<string, z.ZodType>) : {};
}

function hasWords(object: z.ZodObject): boolean {
  return Object.values(object.shape as Record<string, z.ZodType>).every((value) => value.meta() !== undefined);
}

function recordIn(schema: z.ZodType): z.ZodType | null {
  const bare = unwrapped(schema);
  return bare instanceof z.ZodRecord ? (bare.valueType as z.ZodType) : null;
}

function unwrapped(schema: z.ZodType): z.ZodType {
  if (schema instanceof z.ZodOptional || schema instanceof z.ZodDefault || schema instanceof z.ZodPrefault)
    return unwrapped(schema.unwrap() as z.ZodType);
  return schema instanceof z.ZodPipe ? unwrapped(schema.out as z.ZodType) : schema;
}
