/**
 * Everything in which the proxies differ for a visitor, a service or the administrator, and that none of them can be written out of: what each does there is its
 * program's to say. `docs/proxies.md` is made of it; tests hold each proxy to the verdict in all else.
 */
export const differences = {
  folders: 'roads that show a folder',
  'raw-ports': '`ports`',
  'absolute-form': 'a target in absolute form that names another host than `Host` beside it, or has none beside it',
  authority: 'a `Host` over HTTP/2 that says something else than `:authority`',
  'unasked-101': 'a service that changes the protocol though nobody asked for it',
  tabs: 'a TAB for a blank in the request line',
  'empty-line': 'an empty line of a header behind another one of its name, over HTTP/2',
  'empty-port': 'a `Host` that ends with a colon',
  'equal-hosts': 'two equal `Host` lines',
  'several-lines': 'several lines of a header that stands once, such as `Authorization`',
  strangers: 'a name that the map does not have, over HTTP/1',
  'two-lengths': 'a body with a length and in chunks',
  'unannounced-body': 'a body that says no length, where the road has `body-limit`',
  rate: 'how `rate` counts',
  logs: 'a log file of a road',
  readers: 'a visitor who stops reading an answer, as players do',
  methods: 'methods',
  'early-answer': 'answer begun before the upload has ended',
  'silent-answer': 'a service that is silent in the middle of an answer',
  coding: 'a coding of a body that nobody knows',
  'live-answer': 'the answer that begins a WebSocket',
  expectations: 'an `Expect` that nobody knows',
  'own-redirects': 'a redirect of a path to another path of its road',
  'odd-websocket': 'a WebSocket that is asked for by another method than GET, or without a key',
  names: 'looks up a service given by name',
  'address-in-certificate': 'checks the certificate of a service given as https://ADDRESS',
  proofs: 'two roads to one service by one name, with different authorities',
  pin: '`upstream-pin`',
  server: '`Server` of its own',
  'early-hints': 'a service that sends early hints (103) before its answer',
  'not-http': 'a service whose first bytes are no HTTP',
  'named-headers': 'headers that `Connection` names',
  control: 'control characters in the value of a header',
  'unknown-person': 'a name that a gate does not know',
  hops: 'an edge behind more than three others, all in `edge.networks`',
  cookies: 'several lines of `Cookie`',
  connect: 'CONNECT over HTTP/1',
  'long-heads': 'a header line of more than 8 KB, or a head of more than 32 KB',
  'many-lines': 'more than 1000 header lines',
  'kept-by-name': 'connections to a service given by name',
  hashes: 'kinds of password hashes',
  passwords: 'good passwords',
  'kept-connections': 'a kept connection to a service',
  'broken-connections': 'a kept connection that its service closes under a request',
  people: 'people who are added or removed',
  'slow-word': 'a service that a gate asks, and that is slow',
  'many-roads': 'many roads',
} as const;

export type DifferenceId = keyof typeof differences;

/** What a program does there, in few words. */
export type Differs = Readonly<Record<DifferenceId, string>>;
