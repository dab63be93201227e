import { about, path } from '../map/schema/words.ts';
import { absolutePath } from '../plan/absolute-path.ts';
import type { PeopleCheck } from './check.ts';
import type { GateKind } from './kind.ts';

/** Visitors are known by a name and a password (basic authentication, RFC 7617). */
export const people: GateKind<PeopleCheck, string> = {
  kind: 'people',
  schema: path('the path of a password file').meta(
    about('Password file of the people who may pass.', 'wardens.htpasswd'),
  ),
  noun: 'a password',
  onPorts: false,
  read: (written) => ({ kind: 'people', file: written }),
  place: ({ kind, file }, { mapFolder }) => ({ kind, file: absolutePath(mapFolder, file) }),
  passes: ({ file }, { person, knownIn }) =>
    person !== 'none' && person !== 'wrong' && (knownIn === undefined || knownIn.includes(file)),
  passedWords: () => 'the password is right',
  refusal: (_, { person }) => ({
    answers: { by: 'password', status: 401 },
    words: person === 'none' ? 'no password was sent' : 'the password is wrong',
  }),
  implies: (own, other) => own.file === other.file,
};
