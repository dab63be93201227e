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
  syntax: { message: 'This is not well-formed YAML: {problem}', remedy: 'Correct this line: {text}' },
  tab: {
    message: 'This line is indented with a tab, but YAML allows only spaces.',
    remedy: 'Replace the {tabs} at the beginning of the line by {spaces} spaces.',
  },
  'nested-colon': {
    message: 'There is a second `: ` inside one value, so YAML reads a map within a line: {text}',
    remedy: 'Leave out the space after the colon (bird-log:8080), or put quotes round the value.',
  },
  empty: {
    message: 'The file is empty.',
    remedy: 'For a first map, remove the file, then: mile-marker init --domain NAME --address ADDRESS',
  },
  'not-a-map': { message: 'The file contains {got}, not keys with values.', remedy: 'Start each line with `key:`.' },
  documents: {
    message: 'The file contains several YAML documents (a line with `---`).',
    remedy: 'Keep one document.',
  },
  circle: {
    message: 'The alias `*{name}` is inside its own anchor, so the value would contain itself.',
    remedy: 'Write the value instead of the alias.',
  },
  'alias-unknown': {
    message: 'The alias `*{name}` has no anchor above it.',
    remedy: 'Write `&{name}` at the value that it should repeat, or write the value.',
  },
  'alias-flood': {
    message: 'The aliases of this file expand to far too many values.',
    remedy: 'Write the values instead.',
  },
  'key-not-text': {
    message: 'A key must be plain text, but this one is not: {text}',
    remedy: 'Put quotes around it, or remove a stray bracket.',
  },
};
