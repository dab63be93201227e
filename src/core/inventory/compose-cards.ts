import { card } from '../findings/card.ts';
import { yamlWords } from '../yaml/words.ts';

/** What can be wrong with a Compose file. */

export const composeUnreadable = card({
  id: 'compose-unreadable',
  severity: 'error',
  summary: 'A Compose file cannot be read.',
  why: 'Mile Marker reads the published ports there.',
  source: 'YAML 1.2.2; Compose Specification',
  messages: {
    ...yamlWords,
    file: { message: '{problem}', remedy: '{advice}' },
    'old-form': {
      message: '`{key}` is a service at the top level: this file has the form of 2014, which has no `services`.',
      remedy: 'Write `services:` as the first line, and indent all that follows by two spaces.',
    },
    services: {
      message: '`{key}` holds {text}, where keys with values belong.',
      remedy: 'Correct the Compose file: your container engine refuses it, too.',
    },
  },
});

export const composeValue = card({
  id: 'compose-value',
  severity: 'error',
  summary: 'A value in a Compose file cannot be resolved.',
  why: 'A wrong port would lead a road to the wrong service.',
  source: 'Compose Specification, sections "ports" and "Interpolation"',
  messages: {
    port: {
      message: 'Service `{service}` has an entry in `ports` of an unknown form: {text}',
      remedy: 'Write "HOST-ADDRESS:OUTSIDE:INSIDE", such as "127.0.0.1:8080:80".',
    },
    'ports-many': {
      message: 'Service `{service}` publishes {text}: with it the file has more than {most} ports.',
      remedy: 'Write only the ports that something listens on.',
    },
    required: {
      message: '`{text}` needs the variable {variable}: {problem}',
      remedy: 'Set {variable} in the environment or in the file .env beside the Compose file.',
    },
    malformed: {
      message: '`{text}` has a variable that is not well-formed: {problem}',
      remedy: 'Correct it. Write `$$` for a dollar sign.',
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
  summary: 'A Compose file refers to another file or service that cannot be read.',
  why: 'The services and ports declared there stay unknown.',
  source: 'Compose Specification, sections "include" and "extends"',
  messages: {
    unknown: {
      message: 'Service `{service}` extends `{base}`, which {file} does not declare.',
      remedy: 'Correct the name under `extends`.',
    },
    circle: {
      message: 'Service `{service}` extends itself through `{base}`.',
      remedy: 'Remove one of the `extends`.',
    },
    remote: {
      message: 'This file includes {text}, which is not a file on this machine.',
      remedy: 'Download it and include the downloaded file.',
    },
    form: {
      message: '`{key}` of the Compose file has an unknown form: {text}',
      remedy: 'Write a path, or the keys that the Compose Specification names.',
    },
  },
});

export const composeDollar = card({
  id: 'compose-dollar',
  severity: 'error',
  summary: 'A value in a Compose file has a dollar sign that is read as a variable.',
  why: 'The container gets a different value from the one you pasted. A damaged password hash matches no password.',
  source: 'Compose Specification, section "Interpolation"',
  messages: {
    hash: {
      message: '`{key}` looks like a password hash, but its dollar signs are read as variables.',
      remedy: 'Write each $ in it as $$.',
    },
    name: {
      message: '`{key}` uses the variable {variable}, which is set neither in the environment nor in .env.',
      remedy: 'Set {variable} or give it a default, or write $$ for a dollar sign.',
    },
    lone: {
      message: '`{key}` has a dollar sign that does not start a variable.',
      remedy: 'Write $$ for a dollar sign.',
    },
  },
});

export const composeCards = [composeUnreadable, composeValue, composeNotFollowed, composeDollar];
