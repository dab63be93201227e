import { forgeable, type Verdict } from '../verdict/verdict.ts';
import { asksForLive, type Outcome, type Seen, type Sent } from './sent.ts';

/** One thing in which a front did other than it was meant to. */
interface Difference {
  expected: string;
  got: string;
}

/** What a folder has at a path, as far as a front may show it. */
export type InFolder = 'file' | 'folder' | 'nothing';

/**
 * @property verdict what was meant to happen @property outcome what came back
 * @property reached what got to which service, in order
 * @property service name of the one that the verdict leads to; null when nothing stands in for it, as when it is down
 * @property inFolder what is at the path of a verdict about a folder
 */
interface Played {
  sent: Sent;
  verdict: Verdict;
  outcome: Outcome;
  reached: ReadonlyArray<{ service: string; seen: Seen }>;
  service: string | null;
  inFolder: InFolder;
}

/**
 * Holds what a front did against the verdict: exactly for what is well-formed. What malformed requests get may differ in kind (another 4xx, or a
 * closed connection), but never reaches a service.
 */
export function compare(played: Played): Difference[] {
  if (played.verdict.because[0]?.step === 'sanity') return refusedSomehow(played);
  const outcome = same(expectedWords(played), gotWords(played));
  // Where another answer came, it says itself whether a service was reached, and which.
  const named = played.outcome.kind === 'answer' ? played.outcome.headers['x-echo'] : undefined;
  if (outcome.length > 0 && played.reached.every(({ service }) => service === named)) return outcome;
  return [
    ...outcome,
    ...atService(played),
    ...(played.outcome.kind === 'answer' ? ownHeadersOf(played, played.outcome.headers) : []),
  ];
}

function same(expected: string, got: string): Difference[] {
  return expected === got ? [] : [{ expected, got }];
}

function refusedSomehow({ sent, outcome, reached }: Played): Difference[] {
  const kind = outcome.kind === 'answer' ? `${String(outcome.status)[0] ?? ''}xx` : outcome.kind;
  // A coding that nobody knows is no fault of the request (RFC 9112 §6.1).
  const isCoded = sent.headers.some(([name]) => name.toLowerCase() === 'transfer-encoding');
  const refused = ['closed', '4xx', ...(isCoded ? ['5xx'] : [])].includes(kind);
  if (refused && reached.length === 0) return [];
  const got = refused ? 'refused, but it reached' : outcomeWords(outcome);
  return [{ expected: 'refused', got: [got, ...reached.map(({ service }) => service)].join(' ') }];
}

function outcomeWords(outcome: Outcome): string {
  if (outcome.kind === 'no-handshake') return 'no handshake';
  if (outcome.kind === 'closed') return 'closed';
  const { status, headers } = outcome;
  const to = headers['location'];
  const by = headers['x-echo'];
  return `${String(status)}${by === undefined ? '' : ` from ${by}`}${to === undefined ? '' : ` to ${to}`}`;
}

function gotWords({ verdict, outcome, inFolder }: Played): string {
  const words = outcomeWords(outcome);
  // A folder's redirect says its own name in more than one right way.
  return verdict.act === 'folder' && inFolder === 'folder' ? words.replace(/ to .*\/(\?.*)?$/, ' to itself/') : words;
}

/** What was meant to come back, in few words. */
export function expectedWords({ sent, verdict, service, inFolder }: Omit<Played, 'outcome' | 'reached'>): string {
  switch (verdict.act) {
    case 'no-handshake':
      return 'no handshake';
    case 'close':
      return 'closed';
    case 'folder':
      return inFolder === 'file' ? '200' : inFolder === 'folder' ? '307 to itself/' : '404';
    case 'answer':
      return `${String(verdict.status)}${verdict.location === undefined ? '' : ` to ${verdict.location}`}`;
    case 'ask':
      return 'the word of a service';
    case 'relay':
      return `${String(verdict.status)}${verdict.location === undefined ? '' : ` to ${verdict.location}`}`;
    case 'forward':
      return service === null ? '502' : `${asksForLive(sent) ? '101' : '200'} from ${service}`;
  }
}

/** The right service and no other, the request line byte for byte, the body, and the forwarded headers: exactly the verdict's, nothing forged. */
function atService({ sent, verdict, reached, service }: Played): Difference[] {
  const wanted = verdict.act === 'forward' && service !== null ? service : 'no service';
  const names = reached.length === 0 ? 'no service' : reached.map((one) => one.service).join(' and ');
  const [first] = reached;
  if (wanted !== names || verdict.act !== 'forward' || first === undefined)
    return same(`reaches ${wanted}`, `reaches ${names}`);
  const { seen } = first;
  const told = [
    ...new Set(['host', 'x_forwarded_for', 'x.forwarded.for', ...forgeable, ...Object.keys(verdict.headers)]),
  ];
  const dropped = verdict.without.includes('authorization');
  const credentials = sent.headers.find(([name]) => name.toLowerCase() === 'authorization')?.[1];
  return [
    ...same(`service gets ${sent.method} ${verdict.target}`, `service gets ${seen.method} ${seen.target}`),
    ...same(`service gets the body "${plainBody(sent)}"`, `service gets the body "${seen.body}"`),
    ...told.flatMap((name) => lineOf(name, verdict.headers[name], seen.headers[name])),
    ...lineOf('authorization', dropped ? undefined : credentials, seen.headers['authorization'], () => '(not shown)'),
  ];
}

function plainBody({ body, headers }: Sent): string {
  const chunked = headers.some(([name]) => name.toLowerCase() === 'transfer-encoding');
  return chunked ? (body ?? '').replace(/^(?:[0-9a-f]+\r\n([^]*)\r\n)?0\r\n\r\n$/, '$1') : (body ?? '');
}

function lineOf(
  name: string,
  expected: string | undefined,
  got: string | undefined,
  shown: (value: string) => string = (value) => value,
): Difference[] {
  if (expected === got) return [];
  const words = (value: string | undefined): string =>
    `service gets ${value === undefined ? `no ${name}` : `${name}: ${shown(value)}`}`;
  return [{ expected: words(expected), got: words(got) }];
}

/** Headers by which an answer speaks for the front. */
const judged = [
  'access-control-allow-credentials',
  'access-control-allow-headers',
  'access-control-allow-methods',
  'access-control-allow-origin',
  'access-control-max-age',
  'content-security-policy',
  'cross-origin-opener-policy',
  'permissions-policy',
  'referrer-policy',
  'retry-after',
  'strict-transport-security',
  'vary',
  'www-authenticate',
  'x-content-type-options',
  'x-frame-options',
  'x-powered-by',
  'x-robots-tag',
];

/** Every header that the verdict gives an answer of a road, once, and none that it does not. */
function ownHeadersOf({ verdict, sent }: Played, found: Readonly<Record<string, string>>): Difference[] {
  if (verdict.act === 'no-handshake' || verdict.act === 'close' || verdict.act === 'ask' || verdict.act === 'relay')
    return [];
  const expected = verdict.act === 'forward' ? throughAnswer(verdict, saidBy(sent)) : { ...verdict.headers };
  const names = verdict.act === 'answer' && verdict.status === 405 ? [...judged, 'allow'] : judged;
  return names.flatMap((name) =>
    same(
      `answer has ${headerWords(name, ofList(name, expected[name]))}`,
      `answer has ${headerWords(name, ofList(name, found[name]))}`,
    ),
  );
}

/** A list of names says the same in any order (RFC 9110 §12.5.5). */
function ofList(name: string, value: string | undefined): string | undefined {
  if (name !== 'vary' || value === undefined) return value;
  return value
    .split(',')
    .map((one) => one.trim())
    .sort()
    .join(', ');
}

function throughAnswer(
  { answer }: Extract<Verdict, { act: 'forward' }>,
  own: ReadonlyArray<[string, string]>,
): Record<string, string> {
  const said = own.filter(([name]) => !answer.drop.includes(name));
  const low = (pairs: ReadonlyArray<[string, string]>): Array<[string, string]> =>
    pairs.map(([name, value]) => [name.toLowerCase(), value]);
  const defaults = low(answer.defaults).filter(([name]) => !said.some(([one]) => one === name));
  const expected: Record<string, string> = {};
  for (const [name, value] of [...said, ...low(answer.set), ...defaults])
    expected[name] = expected[name] === undefined ? value : `${expected[name]}, ${value}`;
  return expected;
}

function headerWords(name: string, value: string | undefined): string {
  return value === undefined ? `no ${name}` : `${name}: ${value}`;
}

/** What the stand-in is asked to say of itself: header lines as pairs, in JSON. */
export const sayHeader = 'X-Say';

function saidBy({ headers }: Sent): Array<[string, string]> {
  const asked = headers.find(([name]) => name === sayHeader)?.[1];
  return asked === undefined ? [] : (JSON.parse(asked) as Array<[string, string]>);
}
