import { card } from '../findings/card.ts';
import { yamlWords } from '../yaml/words.ts';

/** What can be wrong with a Compose file. */

export const composeUnreadable = card({
  id: 'compose-unreadable',
  severity: 'error',
  summary: 'A Compose file cannot be read.',
  why: 'Which port a service publishes is read from there.',
  source: 'YAML 1.2.2; Compose Specification',
  messages: {
    ...yamlWords,
    file: { message: '{problem}', remedy: '{advice}' },
    services: {
      message: '`{key}` holds {text}, where keys with values belong.',
      remedy: 'Mend the Compose file; your container engine will refuse it too.',
    },
  },
});

export const composeValue = card({
  id: 'compose-value',
  severity: 'error',
  summary: 'A value in a Compose file cannot be worked out.',
  why: 'A port that is guessed is a road that leads to the wrong service.',
  source: 'Compose Specification, sections "ports" and "Interpolation"',
  messages: {
    port: {
      message: 'Service `{service}` has an entry in `ports` that follows no known form: {text}',
      remedy: 'Write "HOST-ADDRESS:OUTSIDE:INSIDE", such as "127.0.0.1:8080:80".',
    },
    required: {
      message: '`{text}` needs the variable {variable}: {problem}',
      remedy: 'Set {variable} in the environment or in the file .env beside the Compose file.',
    },
    malformed: {
      message: '`{text}` has a variable that cannot be read: {problem}',
      remedy: 'Mend it; `$$` stands for a dollar sign.',
    },
    unset: {
      message: '`{text}` uses the variable {variable}, and {problem}.',
      remedy: 'Set {variable}, or give a default: ${{variable}:-VALUE}.',
    },
  },
});

export const composeNotFollowed = card({
  id: 'compose-not-followed',
  severity: 'error',
  summary: 'A Compose file builds on another file or service that cannot be followed.',
  why: 'Services and ports declared there are unknown to the map, and what is not known is not guessed.',
  source: 'Compose Specification, sections "include" and "extends"',
  messages: {
    unknown: {
      message: 'Service `{service}` extends `{base}`, which {file} does not declare.',
      remedy: 'Mend the name under `extends`.',
    },
    circle: {
      message: 'Service `{service}` extends itself by way of `{base}`.',
      remedy: 'Take one of the `extends` away.',
    },
    remote: {
      message: 'This file includes {text}, which is not a file of this machine.',
      remedy: 'Fetch it yourself, and include the fetched file.',
    },
    form: {
      message: '`{key}` of the Compose file follows no known form: {text}',
      remedy: 'Write a path, or the keys that the Compose Specification names.',
    },
  },
});

export const composeDollar = card({
  id: 'compose-dollar',
  severity: 'error',
  summary: 'A value in a Compose file has a dollar sign that is taken for a variable.',
  why: 'The container gets another value than the one that was pasted: a password hash with holes in it matches no password.',
  source: 'Compose Specification, section "Interpolation"',
  messages: {
    hash: {
      message: '`{key}` looks like a password hash, and its dollar signs are taken for variables.',
      remedy: 'Write every $ of it as $$.',
    },
    name: {
      message: '`{key}` uses the variable {variable}, which is set neither in the environment nor in .env.',
      remedy: 'Set {variable} or give it a default, or write $$ where a dollar sign is meant.',
    },
    lone: {
      message: '`{key}` has a dollar sign that begins no variable.',
      remedy: 'Write $$ where a dollar sign is meant.',
    },
  },
});

export const composeCards = [composeUnreadable, composeValue, composeNotFollowed, composeDollar];
