import type { NetworkSet } from '../networks/home.ts';
import type { Plan, PlannedRoad } from '../plan/plan.ts';
import type { Upstream } from '../plan/upstream.ts';
import type { PageKind } from '../map/site-map.ts';
import type { ServiceWords, ShownDevice } from '../gates/kind.ts';
import type { Client } from '../networks/client.ts';
import type { StepName } from './steps/step-names.ts';

/**
 * One request as it reaches the front. Facts that are slow or stateful to learn arrive as inputs.
 *
 * @property sni server name of the handshake (RFC 6066 §3), null when the client sent none; ignored on `http`
 * @property host every Host header line, in order
 * @property target request target exactly as it stood in the request line (RFC 9112 §3.2)
 * @property peer address of the other end of the connection
 * @property headers all header lines by lower-case name
 * @property person who the credentials prove, `none` without credentials, `wrong` when they prove nobody
 * @property device what the handshake shows of the visitor's device; without it nothing
 * @property knownIn people files in which the credentials are right; without it every one knows the person
 * @property words what services that gates ask have said of this request
 * @property overRate the client has used up what `rate` allows
 */
export interface VerdictRequest {
  listener: 'http' | 'https';
  sni: string | null;
  host: readonly string[];
  method: string;
  target: string;
  httpVersion: '1.0' | '1.1' | '2.0';
  peer: string;
  headers: Readonly<Record<string, readonly string[]>>;
  person: string | 'none' | 'wrong';
  device?: ShownDevice;
  knownIn?: readonly string[];
  overRate: boolean;
  words?: ServiceWords;
  /** Worked out from `headers` where it is not given. */
  headSize?: HeadSize;
  /** What is to be answered to the authority for this name and token (RFC 8555 §8.3); null when nothing is pending. */
  challenge?: string | null;
}

/** @property longest length of the longest line, name and value @property hasRepeated whether some name has several lines */
export interface HeadSize {
  lines: number;
  longest: number;
  hasRepeated: boolean;
}

/** The step that spoke, and the line of the map that made it speak (0 when no line did). */
export interface Reason {
  step: StepName;
  mapLine: number;
}

/**
 * What the front makes of a service's answer: `drop` is taken away first (lower case), `set` added, and of `defaults` what the
 * service does not say itself.
 */
export interface AnswerRules {
  drop: string[];
  set: Array<[string, string]>;
  defaults: Array<[string, string]>;
}

/**
 * What must happen to a request.
 *
 * `no-handshake`: refused before any certificate is shown. `close`: the connection ends without a byte.
 * `answer`: by the front itself; `headers` are the answer's, `page` the one of `pages` that stands for its plain words. `forward`: `target` goes to `upstream` with exactly these
 * `headers` set in place of whatever the client sent under their names (or under those in `forgeable`), and `without` the client's
 * own under these. `ask`: the verdict waits for the word of a service, which is asked for `target` with `headers` set in place of the visitor's own, by GET and without
 * the body. `relay`: the visitor gets what that service said. `folder`: the file at `path` below `root`, with these headers, or 404; null is no file for certain.
 */
export type Verdict = { because: Reason[] } & Act;
export type Act =
  | { act: 'no-handshake' }
  | { act: 'close' }
  | {
      act: 'answer';
      status: number;
      location?: string;
      headers: Record<string, string>;
      body?: string;
      page?: PageKind;
    }
  | {
      act: 'forward';
      upstream: Upstream;
      target: string;
      headers: Readonly<Record<string, string>>;
      without: string[];
      silenceSeconds: number;
      bodyLimitBytes: number | null;
      answer: AnswerRules;
    }
  | {
      act: 'ask';
      said: string;
      upstream: Upstream;
      target: string;
      headers: Readonly<Record<string, string>>;
      tell: string[];
    }
  | { act: 'relay'; said: string; status: number; location?: string; answer: AnswerRules }
  | { act: 'folder'; root: string; path: string | null; target: string; headers: Record<string, string> };

/**
 * Headers that say where a request came from, who sent it, or what it was before it was rewritten. What a stranger wrote into them
 * never reaches a service. What says of a certificate of the visitor is among them (RFC 9440 §2.4).
 */
export const forgeable = [
  'client-cert',
  'client-cert-chain',
  'forwarded',
  'front-end-https',
  'proxy',
  'remote-device',
  'remote-user',
  'ssl-client-cert',
  'ssl-client-verify',
  'true-client-ip',
  'x-client-cert',
  'x-client-dn',
  'x-client-ip',
  'x-client-verify',
  'x-cluster-client-ip',
  'x-forwarded-client-cert',
  'x-forwarded-for',
  'x-forwarded-host',
  'x-forwarded-method',
  'x-forwarded-port',
  'x-forwarded-prefix',
  'x-forwarded-proto',
  'x-forwarded-scheme',
  'x-forwarded-server',
  'x-forwarded-ssl',
  'x-forwarded-uri',
  'x-forwarded-user',
  'x-original-method',
  'x-original-uri',
  'x-original-url',
  'x-real-ip',
  'x-remote-user',
  'x-rewrite-url',
  'x-ssl-cert',
  'x-ssl-client-cert',
  'x-ssl-client-cn',
  'x-ssl-client-dn',
  'x-ssl-client-fingerprint',
  'x-ssl-client-s-dn',
  'x-ssl-client-serial',
  'x-ssl-client-subject',
  'x-ssl-client-verify',
] as const;

/** Request headers of which several lines make a request malformed (RFC 9110 §5.3): front and service could each go by another one. */
export const singular = [
  'authorization',
  'expect',
  'if-match',
  'if-modified-since',
  'if-none-match',
  'if-range',
  'if-unmodified-since',
] as const;

/** Of these the first line counts, and it alone passes on. */
export const firstCounts: ReadonlySet<string> = new Set(['origin']);

/**
 * What a Host header names.
 *
 * @property host in comparable form
 * @property road as visitors of this very name meet it
 * @property lately what its service was told last: most requests in a row are one visitor's
 */
export interface Asked {
  host: string;
  road: PlannedRoad | null;
  lately: Told | null;
}

/** What a service is told of a visitor who came over a listener. It is shared by verdicts: nothing may change it. */
export interface Told {
  client: Client;
  listener: VerdictRequest['listener'];
  upstream: Upstream;
  headers: Readonly<Record<string, string>>;
  answer: AnswerRules;
}

/** What a handshake for a server name gets. @property name in comparable form @property certificate as `certificateFor` @property admitted whether it goes on */
export interface Shown {
  name: string;
  certificate: string | null;
  admitted: boolean;
}

/** A plan made ready for many decisions. */
export interface Prepared {
  plan: Plan;
  /** The road that a name in comparable form leads to; null when it is not on the map. */
  roadOf: (name: string) => PlannedRoad | null;
  /** Id of the certificate that is shown for a server name in comparable form; null when none covers it. */
  certificateFor: (name: string) => string | null;
  /** These three remember what was asked lately: most requests come from few visitors for few names. */
  askedFor: (host: string) => Asked | null;
  shownTo: (sni: string) => Shown;
  addressOf: (text: string) => string | null;
  /** Whether some name asks for the certificate of a device. */
  asksDevices: boolean;
  /** Whether a visitor may pass the networks of a gate; remembered like these. Nobody who is not known is in any. */
  isInside: (client: Client, networks: NetworkSet) => boolean;
}
