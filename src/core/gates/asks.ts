import { about, text } from '../map/schema/words.ts';
import { tellsDevice } from './devices.ts';
import { byUnits } from '../by-units.ts';
import type { AsksCheck } from './check.ts';
import type { GateKind, ServiceWord } from './kind.ts';

/** How long a service may take to say whether a request passes, in seconds. Silence refuses. */
export const askedSeconds = 5;

/** The longest answer of such a service that is passed on to a visitor, in bytes. */
export const longestWordBytes = 1024 * 1024;

/** A service decides about each request, as sign-in programs do: 2xx passes; 401, 403 and redirects go to the visitor; anything else refuses. */
export const asks: GateKind<AsksCheck, string> = {
  kind: 'asks',
  schema: text('SERVICE:PORT/PATH').meta(
    about(
      'A service that decides about each request (2xx lets pass; 401, 403 and redirects go to the visitor; anything else, and silence, refuses).',
      'login-desk:9091/check',
    ),
  ),
  noun: 'a sign-in service',
  onPorts: false,
  read: (written, { tell = [] }) => ({
    kind: 'asks',
    said: written,
    path: splitAsked(written).path,
    tell: tell
      .map((name) => name.toLowerCase())
      .filter((name) => name !== tellsDevice)
      .sort(byUnits),
    upstream: null,
  }),
  place: (check, { dialled }) => ({ ...check, upstream: dialled(splitAsked(check.said).to) }),
  passes: ({ said, upstream }, { words }) => {
    if (upstream === null) return false;
    const word = words?.[said];
    return word === undefined ? undefined : isPass(word);
  },
  passedWords: ({ said }) => `${said} lets it pass`,
  refusal: ({ said, upstream }, { words }) => {
    const word = words?.[said];
    if (upstream === null || word === undefined)
      return { answers: { by: 'front', status: 503 }, words: `it is not known where ${said} is` };
    if (!isForVisitor(word)) {
      const found = word.status === 0 ? 'does not answer' : `answers ${String(word.status)}`;
      return { answers: { by: 'front', status: 503 }, words: `${said} ${found}` };
    }
    return { answers: { by: 'service', said, word }, words: `${said} answers ${String(word.status)}` };
  },
  // Another place, or another thing that it tells, is another gate.
  implies: (own, other) => JSON.stringify(own) === JSON.stringify(other),
};

/** The service, as `to` writes it, and the path that it is asked for. */
export function splitAsked(said: string): { to: string; path: string } {
  const at = said.indexOf('/', /^[a-z]+:\/\//i.test(said) ? said.indexOf('://') + 3 : said.lastIndexOf(':'));
  return at === -1 ? { to: said, path: '/' } : { to: said.slice(0, at), path: said.slice(at) };
}

function isPass({ status }: ServiceWord): boolean {
  return status >= 200 && status <= 299;
}

const redirects: readonly number[] = [301, 302, 303, 307, 308];

/** Whether what it says is meant for the visitor: a login, a refusal, or where to sign in. */
export function isForVisitor({ status, location }: Pick<ServiceWord, 'status' | 'location'>): boolean {
  return status === 401 || status === 403 || (redirects.includes(status) && location !== undefined);
}
