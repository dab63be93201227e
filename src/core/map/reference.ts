import { describeKeys } from './schema/describe.ts';

/** The reference page of the map, made from its schema. */
export function mapPage(): string {
  const parts = describeKeys().map(({ path, expects, byDefault, description, example }) => {
    const rest = byDefault === null ? '' : ` Default: \`${byDefault}\`.`;
    return `## ${path}\n\n${description}\n\nExpects ${expects}.${rest}\n\n\`\`\`yaml\n${path.split('.').pop() ?? ''}: ${example}\n\`\`\`\n`;
  });
  return `<!-- Made from the schema in src/core/map by \`npm run fix\`. Do not edit it here. -->

# The map

\`mile-marker.yaml\`: YAML 1.2, one document, at most 1 MiB of UTF-8. Keys that are not listed here are errors. Paths are relative
to the map. A list of one may be written without brackets; anchors and merge keys (\`<<\`) work. The short form of a road,
\`NAME: SERVICE:PORT\`, stands for \`NAME: {to: SERVICE:PORT}\`. \`NAME\` stands for a key that you choose. Editors that know JSON Schema
complete and check a map with [map.schema.json](map.schema.json).

${parts.join('\n')}`;
}
