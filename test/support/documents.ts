import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import Ajv from 'ajv/dist/2020.js';

const folder = join(__dirname, '../../docs/documents');
const checked = new Map<string, ReturnType<Ajv['compile']>>();

/** Holds what a command wrote with --json against the schema that ships in docs/documents. @throws Error with what does not fit */
export function assertDocument(text: string): void {
  const document = JSON.parse(text) as { format?: unknown };
  const name = /^mile-marker-(.+)$/.exec(String(document.format))?.[1] ?? '';
  const validate = validatorOf(name);
  if (!validate(document))
    throw new Error(
      `the document ${name} does not fit its schema: ${JSON.stringify(validate.errors, null, 1).slice(0, 3000)}`,
    );
}

/** Every document that has a schema, by its name. */
export function schemaNames(): string[] {
  return readdirSync(folder).map((file) => file.replace('.schema.json', ''));
}

function validatorOf(name: string): ReturnType<Ajv['compile']> {
  const known = checked.get(name);
  if (known !== undefined) return known;
  const schema = JSON.parse(readFileSync(join(folder, `${name}.schema.json`), 'utf8')) as object;
  const made = new Ajv({ allErrors: true, strict: false }).compile(schema);
  checked.set(name, made);
  return made;
}
