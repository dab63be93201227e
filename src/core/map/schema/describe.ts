import * as z from 'zod';
import { mapSchema } from './map.ts';
import type { KeyMeta } from './words.ts';

/** One key as a person reads about it. `byDefault` is null when there is no default. */
interface KeyPage extends Pick<KeyMeta, 'description' | 'example'> {
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
  const { description, example } = schema.meta() as unknown as KeyMeta;
  const missing = schema.safeParse(undefined);
  const known = missing.success && missing.data !== undefined && path !== 'roads';
  return {
    path,
    expects: expects(schema),
    byDefault: known ? asYaml(missing.data) : null,
    description,
    example,
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
