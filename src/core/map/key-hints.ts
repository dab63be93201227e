/** What keys that people try are called here. The nearest word in letters would lead them astray. */

const leads =
  'Write where the road leads: `to: SERVICE:PORT`, `to: :PORT` for this machine, or `to: http://HOST:PORT`.';
const secured = 'Remove it: every road has HTTPS. To choose a certificate yourself: `certificate: ID`.';
const people = 'Add a gate with people under `gates`, then write its name on the road: `gate: NAME`.';
const access =
  'Write `gate: everyone`, `gate: home`, or the name of a gate with `networks`, which you add under `gates`.';
const named = 'Remove it: the key of the road is its name, such as `nestcam: SERVICE:PORT`.';

/** Of a road, and of one of its `paths`. */
const ofRoad: Readonly<Record<string, string>> = {
  ...of(leads, 'port', 'host', 'hostname', 'url', 'target', 'upstream', 'backend', 'service', 'server', 'destination'),
  ...of(secured, 'ssl', 'tls', 'https', 'cert', 'secure'),
  ...of(people, 'auth', 'login', 'password', 'passwords', 'user', 'users', 'people', 'basic-auth'),
  ...of(access, 'allow', 'deny', 'access', 'public', 'private', 'networks', 'ip', 'ips', 'allowlist'),
  ...of(named, 'name', 'domain', 'subdomain'),
  ...of(
    'WebSockets always pass. To let `verify` test one: `expect: {path: /PATH, websocket: true}`.',
    'websocket',
    'ws',
  ),
  ...of('Write `response-headers: {NAME: VALUE}`.', 'header', 'headers'),
  ...of('Write `body-limit: 10MiB`. Without it there is no limit.', 'max-body', 'max-upload', 'upload', 'upload-limit'),
  ...of('To switch the road off: `paused: true`.', 'enabled', 'disabled', 'active', 'off'),
};

const ofFront: Readonly<Record<string, string>> = {
  ...of('Write your public address: `address: 203.0.113.24`.', 'ip', 'host', 'public-ip', 'public'),
  ...of('Write `ports: {http: 80, https: 443}`.', 'port'),
  ...of('Write it at the top of the map: `acme: {contact: NAME@DOMAIN}`.', 'email', 'mail', 'contact'),
  ...of('Write `proxy: NAME`. Which proxies there are: mile-marker init --help', 'server', 'type', 'kind'),
};

const ofAcme = of('Write `contact: NAME@DOMAIN`.', 'email', 'mail');

const ofMap: Readonly<Record<string, string>> = {
  ...of('Write it under `acme`: `acme: {contact: NAME@DOMAIN}`.', 'email', 'mail', 'contact'),
  ...of('Write the certificates of an authority as `acme: {directory: production}`.', 'ssl', 'tls', 'https', 'certs'),
  ...of(
    'Write each name under `roads`: `NAME: SERVICE:PORT`.',
    'hosts',
    'sites',
    'services',
    'routes',
    'subdomains',
    'proxies',
  ),
  ...of('Add a gate with people: `gates: {NAME: {people: FILE}}`.', 'auth', 'users', 'people', 'passwords'),
  ...of('Write it under `front`: `front: {address: ADDRESS}`.', 'address', 'ip', 'host'),
};

/** What to write instead of a key that does not exist; null where nothing is known of it. @param path of what has the key */
export function keyHint(path: readonly PropertyKey[], key: string): string | null {
  const [top, , below] = path;
  const word = key.toLowerCase().replaceAll('_', '-');
  if (path.length === 0) return ofMap[word] ?? null;
  if (top === 'front' && path.length === 1) return ofFront[word] ?? null;
  if (top === 'acme' && path.length === 1) return ofAcme[word] ?? null;
  return top === 'roads' && (path.length === 2 || below === 'paths') ? (ofRoad[word] ?? null) : null;
}

/** Whether such a key says, in other words, what the key that is missing would say. */
export function standsFor(path: readonly PropertyKey[], key: string, missing: string): boolean {
  return keyHint(path, key)?.includes(`\`${missing}: `) === true;
}

function of(hint: string, ...words: string[]): Record<string, string> {
  return Object.fromEntries(words.map((word) => [word, hint]));
}
