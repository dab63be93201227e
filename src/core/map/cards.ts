import { card } from '../findings/card.ts';
import { yamlWords } from '../yaml/words.ts';

/** Cards of everything that can be wrong with the text of a map, before anything outside it is looked at. */

const yaml = 'YAML 1.2.2';

export const mapUnreadable = card({
  id: 'map-unreadable',
  severity: 'error',
  summary: 'The map is not well-formed YAML.',
  why: 'Nothing can be planned from a file whose structure is open to guesses.',
  source: `${yaml} chapters 6 to 8`,
  messages: yamlWords,
});

export const mapKeyUnknown = card({
  id: 'map-key-unknown',
  severity: 'error',
  summary: 'The map has a key that Mile Marker does not know.',
  why: 'A key that is silently ignored is a rule that you believe is there and is not.',
  source: 'map reference',
  messages: {
    near: { message: '`{key}` is not a key of {parent}.', remedy: 'Did you mean `{near}`?' },
    far: { message: '`{key}` is not a key of {parent}.', remedy: 'Remove it, or use one of: {known}.' },
  },
});

export const mapKeyDouble = card({
  id: 'map-key-double',
  severity: 'error',
  summary: 'The same key stands twice in one place of the map.',
  why: 'Only one of the two could count, and readers differ in which.',
  source: `${yaml} §3.2.1.3: keys are unique`,
  messages: {
    double: { message: '`{key}` stands here and already on line {first}.', remedy: 'Keep one of the two.' },
  },
});

export const mapKeyMissing = card({
  id: 'map-key-missing',
  severity: 'error',
  summary: 'The map lacks a key that everything else depends on.',
  why: 'It cannot be guessed from the rest.',
  source: 'map reference',
  messages: {
    missing: { message: 'The key `{key}` is missing from {parent}.', remedy: 'Add `{key}:` ({expects}).' },
    'road-leads-nowhere': {
      message: 'The road `{key}` does not say where it leads.',
      remedy: 'Add `to: SERVICE:PORT`, `redirect: https://...` or `folder: ./PATH`.',
    },
  },
});

export const mapValueWrong = card({
  id: 'map-value-wrong',
  severity: 'error',
  summary: 'A key of the map has a value that it cannot have.',
  why: 'A guess at what was meant could open a road or break one.',
  source: 'map reference',
  messages: {
    expects: { message: '`{key}` expects {expects}, and here stands: {text}', remedy: 'Write {expects}.' },
    near: {
      message: '`{key}` expects {expects}, and here stands: {text}',
      remedy: 'Did you mean `{near}`?',
    },
    'key-form': {
      message: '`{parent}` has the key `{text}`, where {expects} belongs.',
      remedy: 'Write {expects}.',
    },
    'address-unquoted': {
      message: '`{key}` has a value that YAML reads as a map, but it looks like an address: {text}',
      remedy: 'Put quotes round the address: "2001:db8::1".',
    },
    'to-and-redirect': {
      message: 'The road says more than one of `to`, `redirect` and `folder`.',
      remedy: 'Keep one of them: a road leads to one place.',
    },
    'name-near': {
      message: '`{key}` names the {what} `{text}`, which the map does not have.',
      remedy: 'Did you mean `{near}`?',
    },
    'name-far': {
      message: '`{key}` names the {what} `{text}`, which the map does not have.',
      remedy: 'Write it under `{under}`, or name one of: {known}.',
    },
    'gate-reserved': {
      message: '`{text}` is a gate that exists already, and always means the same.',
      remedy: 'Give yours another name.',
    },
    'gate-empty': {
      message: 'The gate `{text}` says neither `people` nor `networks`.',
      remedy: 'Add one of them; `everyone` exists already.',
    },
    'upstream-alone': {
      message: '`{key}` has a meaning only beside a `to` that begins with https://.',
      remedy: 'Remove it, or write `to: https://...`.',
    },
    'upstream-two': {
      message: 'The road says more than one of `upstream-ca`, `upstream-pin` and `upstream-insecure`.',
      remedy: 'Keep one: it says how the service proves who it is.',
    },
    'cors-everyone': {
      message:
        '`cors` lets every origin (`*`) come with credentials, which browsers refuse (Fetch standard, CORS check).',
      remedy: 'Name the origins, or leave `credentials` out.',
    },
    'cors-origin': {
      message: '`{key}` has an origin that is none: {text}',
      remedy: 'Write scheme, host and port alone, such as https://www.saltmarsh.example.',
    },
    'header-reserved': { message: '`{key}` cannot be set for every answer.', remedy: '{why}' },
    'path-redirect': {
      message: '`{key}` leads to what is neither a path of this road nor a URL without query: {text}',
      remedy: 'Write a path such as /dav/, or a URL such as https://www.saltmarsh.example.',
    },
    'path-root': {
      message: '`{key}` is the whole road, which already says where it leads.',
      remedy: 'Write that as `to` of the road itself, and take the line out.',
    },
    'path-leads': {
      message: '`{key}` must say one of `to` and `redirect`.',
      remedy: 'Write where this part of the road leads.',
    },
    'dns-two': {
      message: '`dns` says both `server` and `program`.',
      remedy: 'Keep one: records are published in one way.',
    },
    'dns-key': { message: '`dns.server` takes no unsigned update.', remedy: 'Add `key`, the path of a TSIG key file.' },
    'acme-missing': {
      message: '`{key}` comes from acme, and the map has no `acme`.',
      remedy: 'Add: acme: {directory: staging}',
    },
    'permanent-alone': { message: '`permanent` has a meaning only beside `redirect`.', remedy: 'Remove it.' },
    'to-form': {
      message: '`to` is not understood: {text}',
      remedy: 'Write SERVICE:PORT (as in compose), :PORT (a port of this host), or http://ADDRESS:PORT.',
    },
    'to-port-missing': {
      message: '`to: {text}` does not say the port.',
      remedy: 'Add the port that the service listens on inside its container: `{text}:PORT`.',
    },
    'to-loopback': {
      message: '`to: {text}` names this machine itself.',
      remedy:
        'For a port of this host write `:{port}`. For a container write its service name: inside a container, localhost is the container.',
    },
    'to-address': {
      message: '`to: {text}` is an address, not a service.',
      remedy: 'For another machine write `http://{text}` (or https).',
    },
    'port-range': {
      message: 'Port {text} does not exist; ports run from 1 to 65535.',
      remedy: 'Write the port that the service listens on.',
    },
    'url-form': {
      message: '`{key}` is not a usable URL: {text}',
      remedy: 'Write it in full, with http:// or https://, such as https://www.example.org.',
    },
    'url-path': {
      message: '`to: {text}` has a path, query or user in it; a road leads to a whole service.',
      remedy: 'Write only scheme, host and port: {origin}.',
    },
    'redirect-extra': {
      message: '`redirect: {text}` has a query, fragment or user in it; path and query of the request are appended.',
      remedy: 'Write only scheme, host, port and path.',
    },
    'ports-equal': { message: 'http and https of `{key}` are both {text}.', remedy: 'Give them two ports.' },
  },
});

export const nameInvalid = card({
  id: 'name-invalid',
  severity: 'error',
  summary: 'A name in the map cannot be a host name.',
  why: 'DNS, certificates and browsers each refuse such a name in their own way, and late.',
  source: 'RFC 1035 §2.3.4, RFC 1123 §2.1, UTS 46',
  messages: {
    empty: { message: 'The name is empty.', remedy: 'Write the first label of the name, such as `nestcam`.' },
    'too-long': { message: '`{name}` is longer than 253 characters.', remedy: 'Shorten it.' },
    'label-empty': { message: '`{name}` has two dots in a row.', remedy: 'Remove one.' },
    'label-too-long': {
      message: 'One part of `{name}` is longer than 63 characters: {text}',
      remedy: 'Shorten that part.',
    },
    'bad-character': {
      message: '`{name}` has a character that no host name may have: {text}',
      remedy: 'Use letters, digits and inner hyphens; write `-` for `_` or a space.',
    },
    'hyphen-edge': {
      message: 'A part of `{name}` begins or ends with a hyphen: {text}',
      remedy: 'Remove the hyphen at the edge.',
    },
    'not-idna': {
      message: '`{name}` cannot be turned into the form that DNS uses (UTS 46).',
      remedy: 'Check for invisible or mixed-script characters, or a broken `xn--` part.',
    },
    'looks-like-address': { message: '`{name}` is an address, or would be read as one.', remedy: 'Write a name.' },
    wildcard: {
      message: '`{name}` is a wildcard; each road has one name.',
      remedy: 'Write the names out, one road each.',
    },
    foreign: {
      message: '`{name}` lies under none of your domains ({domains}), and as a short name it would become {full}.',
      remedy: 'Add its domain to `domains`, or mend the spelling{near}.',
    },
  },
});

export const nameDouble = card({
  id: 'name-double',
  severity: 'error',
  summary: 'Two roads have the same name.',
  why: 'A copied road that kept its old name is the classic slip; a server would use the one it reads first and say nothing.',
  source: 'RFC 9110 §4.2.3: names compare without case; RFC 1034 §3.1',
  messages: {
    road: {
      message: '`{key}` is {name}, and so is `{other}` on line {first}.',
      remedy: 'Rename one of the two roads.',
    },
    domain: { message: '`{key}` stands twice in `domains`.', remedy: 'Remove one.' },
  },
});

export const mapCards = [
  mapUnreadable,
  mapKeyUnknown,
  mapKeyDouble,
  mapKeyMissing,
  mapValueWrong,
  nameInvalid,
  nameDouble,
];
