import { card } from '../findings/card.ts';
import { yamlWords } from '../yaml/words.ts';

/** Cards of everything that can be wrong with the text of a map, before anything outside it is looked at. */

const yaml = 'YAML 1.2.2';

export const mapUnreadable = card({
  id: 'map-unreadable',
  severity: 'error',
  summary: 'The map is not well-formed YAML.',
  why: 'A map with broken structure cannot be used.',
  source: `${yaml} chapters 6 to 8`,
  messages: yamlWords,
});

export const mapKeyUnknown = card({
  id: 'map-key-unknown',
  severity: 'error',
  summary: 'The map has a key that does not exist.',
  why: 'A misspelled rule has no effect.',
  source: 'map reference',
  messages: {
    'runs-on': {
      message: '`{key}` of {parent} is now called `container`.',
      remedy: 'Write: container: {container}',
    },
    'runs-on-host': {
      message: '`{key}` of {parent} is now called `container`, and a front on this machine has none.',
      remedy: 'Remove the line.',
    },
    near: { message: '`{key}` is not a key of {parent}.', remedy: 'Did you mean `{near}`?' },
    hint: { message: '`{key}` is not a key of {parent}.', remedy: '{hint}' },
    far: { message: '`{key}` is not a key of {parent}.', remedy: 'Remove it, or use one of: {known}.' },
  },
});

export const mapKeyDouble = card({
  id: 'map-key-double',
  severity: 'error',
  summary: 'The same key is written twice in one place.',
  why: 'Only one of them can count, and programs disagree on which.',
  source: `${yaml} §3.2.1.3: keys are unique`,
  messages: {
    double: { message: '`{key}` is here and already on line {first}.', remedy: 'Keep one of the two.' },
  },
});

export const mapKeyMissing = card({
  id: 'map-key-missing',
  severity: 'error',
  summary: 'The map lacks a required key.',
  why: 'Mile Marker cannot guess it.',
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
  summary: 'A key of the map has a wrong value.',
  why: 'A guess could open a road or break one.',
  source: 'map reference',
  messages: {
    expects: { message: '`{key}` expects {expects}. Found: {text}', remedy: 'Write {expects}.' },
    near: {
      message: '`{key}` expects {expects}. Found: {text}',
      remedy: 'Did you mean `{near}`?',
    },
    'key-form': {
      message: '`{parent}` has the key `{text}`, where {expects} belongs.',
      remedy: 'Write {expects}.',
    },
    'address-unquoted': {
      message: '`{key}` looks like an address, but YAML reads it as a map: {text}',
      remedy: 'Put quotes round the address: "2001:db8::1".',
    },
    'to-and-redirect': {
      message: 'The road has more than one of `to`, `redirect` and `folder`.',
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
      message: '`{text}` is the name of a built-in gate.',
      remedy: 'Give yours another name.',
    },
    'gate-empty': {
      message: 'The gate `{text}` has none of `people`, `networks`, `devices` and `asks`.',
      remedy: 'Add one of them. To let everybody pass, use the built-in gate `everyone`.',
    },
    'gate-two-logins': {
      message: 'The gate `{text}` has both `people` and `asks`, and a browser can show only one login at a time.',
      remedy: 'Write two gates, and both on the road: `gate: [FIRST, SECOND]`.',
    },
    'gate-tell': {
      message: '`{key}` names headers that a service tells, but the gate asks no service.',
      remedy: 'Add `asks: SERVICE:PORT/PATH`, or remove this line.',
    },
    'gate-tell-header': {
      message: '`{key}` has the header `{text}`, which a service cannot tell.',
      remedy: 'Name headers that say who the visitor is, such as Remote-User.',
    },
    'gate-tell-device': {
      message: '`{key}` tells the name of the device, but the gate has no `devices`.',
      remedy: 'Add `devices: any`, or remove `device` from this line.',
    },
    'gate-any-device': {
      message: '`{key}` has `any`, and names of devices beside it.',
      remedy: 'Write `any` alone, or the names without it.',
    },
    'gate-asks-https': {
      message: '`{key}` asks over HTTPS, which a gate cannot do: {text}',
      remedy: 'Write a service on this machine or its container networks: SERVICE:PORT/PATH.',
    },
    'gate-asks-path': {
      message: '`{key}` has a path that cannot be asked for: {text}',
      remedy: 'Write a plain path without a query, such as /check.',
    },
    'upstream-alone': {
      message: '`{key}` only works with a `to` that begins with https://.',
      remedy: 'Remove it, or write `to: https://...`.',
    },
    'upstream-two': {
      message: 'The road has more than one of `upstream-ca`, `upstream-pin` and `upstream-insecure`.',
      remedy: 'Keep one. It decides how the service proves who it is.',
    },
    'cors-everyone': {
      message:
        '`cors` allows every origin (`*`) together with credentials, which browsers refuse (Fetch standard, CORS check).',
      remedy: 'Name the origins, or leave `credentials` out.',
    },
    'cors-origin': {
      message: '`{key}` has a wrong origin: {text}',
      remedy: 'Write only scheme, host and port, such as https://www.saltmarsh.example.',
    },
    'header-reserved': { message: '`{key}` cannot be set on every answer.', remedy: '{why}' },
    'path-redirect': {
      message: '`{key}` is neither a path of this road nor a URL without query: {text}',
      remedy: 'Write a path such as /dav/, or a URL such as https://www.saltmarsh.example.',
    },
    'pin-form': {
      message: '`{key}` is now only the digest, without `sha256/` before it.',
      remedy: 'Write: upstream-pin: {digest}',
    },
    'path-root': {
      message: '`{key}` is the whole road, which already says where it leads.',
      remedy: 'Write that as `to` of the road itself, and remove this line.',
    },
    'path-leads': {
      message: '`{key}` needs one of `to` and `redirect`.',
      remedy: 'Write where this part of the road leads.',
    },
    'dns-two': {
      message: '`dns` has both `server` and `program`.',
      remedy: 'Keep one. Records are published in one way.',
    },
    'nodes-cluster': {
      message: '`{key}` names cluster nodes, but the map has no cluster.',
      remedy: 'Add `cluster: true` beside `front`, and name a manager: `engine: unix:///var/run/docker.sock`.',
    },
    'cluster-engine': {
      message: '`cluster` needs an engine, but the map says `engine: none`.',
      remedy: 'Name a manager: `engine: unix:///var/run/docker.sock`. Or remove `cluster`.',
    },
    'labels-elsewhere': {
      message: '`labels.obey` has `{text}`, which lies in none of `domains`: {domains}.',
      remedy: 'Write a name in one of them, or add the domain under `domains`.',
    },
    'dns-login': {
      message: '`dns.update-login` only works together with `update-url`.',
      remedy: 'Add `update-url`, or remove this line.',
    },
    'dns-key': { message: '`dns.server` needs signed updates.', remedy: 'Add `key`, the path of a TSIG key file.' },
    'acme-missing': {
      message: '`{key}` comes from acme, but the map has no `acme`.',
      remedy: 'Add: acme: {directory: production}',
    },
    'permanent-alone': { message: '`permanent` only works together with `redirect`.', remedy: 'Remove it.' },
    'to-form': {
      message: '`to` is not understood: {text}',
      remedy: 'Write SERVICE:PORT (as in compose), :PORT (a port of this machine), or http://ADDRESS:PORT.',
    },
    'to-port-missing': {
      message: '`to: {text}` does not say the port.',
      remedy: 'Add the port that the service listens on inside its container: `{text}:PORT`.',
    },
    'to-loopback': {
      message: '`to: {text}` is this machine itself.',
      remedy:
        'For a port of this machine, write `:{port}`. For a container, write its service name: inside a container, localhost is the container itself.',
    },
    'to-address': {
      message: '`to: {text}` is an address, not a service.',
      remedy: 'For another machine write `http://{text}` (or https).',
    },
    'raw-address': {
      message: '`to: {text}` does not fit a raw port, which passes on plain {protocol}.',
      remedy: 'Write SERVICE:PORT (as in compose), :PORT (a port of this machine), or {protocol}://ADDRESS:PORT.',
    },
    'raw-people': {
      message: '`{key}` names the gate `{text}`, which needs {what}, and a raw port has no way to ask for it.',
      remedy: 'Name a gate of networks alone, such as `home`.',
    },
    'raw-udp': {
      message: '`{key}` works with TCP only.',
      remedy: 'Remove it, or write the port with /tcp, if it is one.',
    },
    'raw-name': {
      message: '`{key}` only works together with `tls: true`.',
      remedy: 'Add that, or remove this line.',
    },
    'raw-certificate': {
      message: '`{key}` shows the certificate of {text}, which is no road, and no certificate of the map covers it.',
      remedy: 'Write the name of a road beside `tls`, such as `name: {near}`, or add {text} to a certificate.',
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
      message: '`to: {text}` has a path, query or user. A road leads to a whole service.',
      remedy: 'Write only scheme, host and port: {origin}.',
    },
    'redirect-extra': {
      message: '`redirect: {text}` has a query, fragment or user. Path and query of the request are appended.',
      remedy: 'Write only scheme, host, port and path.',
    },
    'header-without-address': {
      message: '`{key}: {text}`: the front cannot read the visitor’s address from this header.',
      remedy:
        'Let the edge send the address alone, and name that header: X-Forwarded-For, or the one in its own documentation.',
    },
    'ports-equal': { message: 'http and https of `{key}` are both {text}.', remedy: 'Give them two ports.' },
  },
});

export const nameInvalid = card({
  id: 'name-invalid',
  severity: 'error',
  summary: 'A name in the map cannot be a host name.',
  why: 'DNS, certificates and browsers refuse such a name.',
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
      message: '`{name}` has a character that is not allowed in host names: {text}',
      remedy: 'Use letters, digits and hyphens inside. Write `-` for `_` or a space.',
    },
    'hyphen-edge': {
      message: 'A part of `{name}` begins or ends with a hyphen: {text}',
      remedy: 'Remove the hyphen at the edge.',
    },
    'not-idna': {
      message: '`{name}` cannot be turned into the form that DNS uses (UTS 46).',
      remedy: 'Check for invisible or mixed-script characters, or a broken `xn--` part.',
    },
    'looks-like-address': { message: '`{name}` is an address, or is read as one.', remedy: 'Write a name.' },
    wildcard: {
      message: '`{name}` is a wildcard. A road has one name.',
      remedy: 'Write one road for each name. For all other names, use the road `others`.',
    },
    foreign: {
      message: '`{name}` is under none of your domains ({domains}). As a short name it would become {full}.',
      remedy: 'Add its domain to `domains`, or correct the spelling{near}.',
    },
  },
});

export const nameDouble = card({
  id: 'name-double',
  severity: 'error',
  summary: 'Two roads have the same name.',
  why: 'This is usually a copied road that kept its old name. A server silently uses the first one.',
  source: 'RFC 9110 §4.2.3: names compare without case; RFC 1034 §3.1',
  messages: {
    road: {
      message: '`{key}` is {name}, and so is `{other}` on line {first}.',
      remedy: 'Rename one of the two roads.',
    },
    domain: { message: '`{key}` is twice in `domains`.', remedy: 'Remove one.' },
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
