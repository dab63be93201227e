import { parse } from 'yaml';
import * as z from 'zod';
import { mapSchema } from './map.ts';

type Json = Record<string, unknown>;

/** The map as JSON Schema (draft 2020-12), for editors that complete and check YAML as one types. */
export function mapJsonSchema(): Json {
  const schema = toJson(mapSchema);
  return { ...schema, title: 'Mile Marker map', description: 'Made from the schema in src/core/map by `npm run fix`.' };
}

function toJson(schema: z.ZodType): Json {
  return z.toJSONSchema(schema, {
    io: 'input',
    unrepresentable: 'any',
    override: ({ zodSchema, jsonSchema }) => {
      const json = jsonSchema as Json;
      if (zodSchema instanceof z.ZodPipe && zodSchema.in instanceof z.ZodTransform) {
        // The library has put the form behind the preprocessing here, which the short form need not have.
        for (const key of Object.keys(json)) if (!kept.includes(key)) Reflect.deleteProperty(json, key);
        json['anyOf'] = withShortForm(zodSchema.out as z.ZodType);
      }
      const { example } = json;
      delete json['example'];
      if (typeof example === 'string') json['examples'] = [parse(example)];
    },
  }) as Json;
}

const kept = ['description', 'example', 'examples', 'default'];

/** What `preprocess` takes besides: one entry without its list, the short text of a road, nothing for no roads. */
function withShortForm(schema: z.ZodType): unknown[] {
  const full = toJson(schema);
  delete full['$schema'];
  if (full['type'] === 'array') return [full['items'], full];
  // Editors speak of the first form when neither fits.
  return [full, { type: schema instanceof z.ZodRecord ? 'null' : 'string' }];
}
