import type { Words } from '../findings/card.ts';

/** What can be wrong with a YAML text, in words. The cards of the map and of Compose files both speak with these. */
export type YamlSlip =
  | 'syntax'
  | 'tab'
  | 'nested-colon'
  | 'empty'
  | 'not-a-map'
  | 'documents'
  | 'circle'
  | 'alias-unknown'
  | 'alias-flood'
  | 'key-not-text';

export const yamlWords: Record<YamlSlip, Words> = {
  syntax: { message: 'This cannot be read as YAML: {problem}', remedy: 'Mend this line: {text}' },
  tab: {
    message: 'This line is indented with a tab; YAML allows spaces only.',
    remedy: 'Replace each tab with two spaces.',
  },
  'nested-colon': {
    message: 'There is a second `: ` inside one value, so YAML reads a map within a line: {text}',
    remedy: 'Leave out the space after the colon (bird-log:8080), or put quotes round the value.',
  },
  empty: {
    message: 'The file is empty.',
    remedy: 'Fill it; for a first map run `mile-marker init --domain NAME --address ADDRESS` in an empty folder.',
  },
  'not-a-map': { message: 'The file holds {got}, not keys with values.', remedy: 'Begin each line with `key:`.' },
  documents: {
    message: 'The file holds several YAML documents (a line with `---`).',
    remedy: 'Keep one document a file.',
  },
  circle: {
    message: 'The alias `*{name}` stands inside its own anchor, so the value would contain itself.',
    remedy: 'Write the value out instead of the alias.',
  },
  'alias-unknown': {
    message: 'The alias `*{name}` names no anchor above it.',
    remedy: 'Write `&{name}` at the value it should repeat, or write the value out.',
  },
  'alias-flood': {
    message: 'The aliases of this file multiply each other to more values than a person could have meant.',
    remedy: 'Write the values out.',
  },
  'key-not-text': {
    message: 'A key must be plain text, and this one is not: {text}',
    remedy: 'Put quotes round it, or look for a stray bracket.',
  },
};
