import { proxyNames, type ProxyName } from '../../src/core/proxies/names.ts';
import type { Does, Row } from './row.ts';

const html = { 'content-type': 'text/html' };
const page = '<title>Nest camera</title>';
const asleep: Does = { answers: 503, headers: html, body: '<title>Camera asleep</title>' };
const ownQuestion: Does = {
  answers: 401,
  headers: { 'www-authenticate': 'Basic realm="camera"' },
  body: 'who are you',
};
const muchInItsHeaders: Does = { answers: 200, headers: { ...html, 'x-notes': 'n'.repeat(12_000) }, body: page };

/** The row on each front that Mile Marker serves or writes, but for those that cannot have it. */
function onEach(row: Omit<Row, 'own'>, except: readonly ProxyName[] = []): Row[] {
  return proxyNames.filter((own) => !except.includes(own)).map((own) => ({ ...row, name: `${row.name}: ${own}`, own }));
}

/** A key of the service's is known to the builtin front alone; the others go by its certificate. */
const byKey: readonly ProxyName[] = ['nginx', 'httpd', 'haproxy'];

const well = (name: string, rest: Partial<Row>, except: readonly ProxyName[] = []): Row[] =>
  onEach({ name, rule: null, ...rest }, except);

/** What breaks behind and before a front of our own, whichever it is. */
export const ownRows: Row[] = [
  onEach({
    name: 'the service is not running',
    rule: 'service-down',
    says: 'nothing listens',
    service: { raw: 'nobody' },
  }),
  onEach({
    name: 'the service hangs',
    rule: 'service-down',
    says: 'sends nothing',
    service: { raw: 'silent' },
  }),
  onEach({
    name: 'the service closes connections',
    rule: 'service-down',
    says: 'closes them',
    service: { raw: 'closes' },
  }),
  onEach({
    name: 'the service breaks off in its page',
    rule: 'service-down',
    says: 'breaks off',
    service: { does: { cutsAfter: '<title>Nest' } },
  }),
  onEach({ name: 'the service speaks HTTPS', rule: 'service-down', says: 'speaks HTTPS', service: { tls: true } }),
  onEach({
    name: 'the service speaks plain HTTP',
    rule: 'service-down',
    says: 'speaks plain HTTP',
    to: '"https://127.0.0.1:{service}"',
  }),
  onEach({
    name: 'the service behind a prefix is not running',
    rule: 'service-down',
    says: 'nothing listens',
    road: 'paths: {/clock: ":1"}',
  }),
  onEach(
    {
      name: 'the service shows a certificate of its own',
      rule: 'service-not-trusted',
      says: 'upstream-pin',
      to: '"https://127.0.0.1:{service}"',
      service: { tls: { by: 'itself' } },
    },
    byKey,
  ),
  onEach(
    {
      name: 'the service shows a certificate of its own, and is asked by another name',
      rule: 'service-not-trusted',
      says: 'upstream-host: nestcam.saltmarsh.example',
      to: '"https://127.0.0.1:{service}"',
      road: 'upstream-host: other.saltmarsh.example',
      service: { tls: { by: 'itself' } },
    },
    ['builtin'],
  ),
  onEach(
    {
      name: 'the service shows another key than the pinned one',
      rule: 'service-not-trusted',
      says: 'another key',
      to: '"https://127.0.0.1:{service}"',
      road: 'upstream-pin: "d6qzRu9zOECb90Uez27xWltNsj0e1Md7GkYYkVoZWmM="',
      service: { tls: { by: 'itself' } },
    },
    byKey,
  ),
  onEach({
    name: 'the service behind a gate is not running',
    rule: 'service-down',
    says: 'nothing listens',
    road: 'gate: far',
    service: { raw: 'nobody' },
  }),
  onEach({
    name: 'the service behind a gate of people speaks HTTPS',
    rule: 'service-down',
    says: 'speaks HTTPS',
    road: 'gate: wardens',
    service: { tls: true },
  }),
  onEach({
    name: 'the service behind a gate shows another page than the map expects',
    rule: 'expectation-unmet',
    road: 'gate: far, expect: {text: "Owl box"}',
  }),
  onEach({
    name: 'the service behind a gate fails',
    rule: 'service-fails',
    severity: 'warning',
    says: 'Camera asleep',
    road: 'gate: far',
    service: { does: asleep },
  }),
  onEach({
    name: 'the service behind a gate takes no live connections',
    rule: 'websocket-not-passed',
    says: 'the service itself',
    road: 'gate: far, expect: {path: /live, websocket: true}',
  }),
  onEach({
    name: 'the service of a part behind a gate is not running',
    rule: 'service-down',
    says: 'nestcam.saltmarsh.example/clock',
    road: 'gate: far, paths: {/clock: ":1"}',
  }),
  // The other fronts pass such a page on.
  onEach(
    {
      name: 'early hints come before the page',
      rule: 'front-cannot-reach-service',
      says: 'early hints',
      service: { does: 'hints' },
    },
    ['builtin', 'httpd', 'haproxy'],
  ),
  onEach({
    name: 'the edge in front speaks plain HTTP to it',
    rule: 'redirect-loop',
    says: 'The edge seems to speak plain HTTP',
    edge: { speaks: 'http' },
  }),
  onEach({
    name: 'the wildcard has no record',
    rule: 'dns-missing',
    says: '*.saltmarsh.example',
    others: 'redirect: https://nestcam.saltmarsh.example',
    ofOthers: 'nothing',
  }),
].flat();

/** Installations on a front of our own that are well: nothing must be said of them. */
export const ownHealthyRows: Row[] = [
  well('as the tool serves or writes it', {}),
  well('all other names lead to one of them', { others: 'redirect: https://nestcam.saltmarsh.example' }),
  well('all other names lead to the same service', { others: 'to: ":{service}"' }),
  well('an edge in front, which speaks HTTPS to it', { edge: { speaks: 'https' } }),
  well('IPv4 and IPv6, with a gate and live connections', {
    road: 'gate: wardens, expect: {path: /live, websocket: true, status: 200}',
    login: true,
    service: { live: 'echoes' },
    addresses: ['127.0.0.1', '::1'],
  }),
  well('a stream of events without end', { service: { does: 'streams' } }),
  well('early hints before the page', { service: { does: 'hints' } }, ['nginx']),
  well('a service with a great deal in its headers', { service: { does: muchInItsHeaders } }),
  well('a service behind HTTPS', {
    to: '"https://127.0.0.1:{service}"',
    road: 'upstream-insecure: true',
    service: { tls: true },
  }),
  well('a paused road', { road: 'paused: true' }),
  well('a gate that refuses as asked', { road: 'gate: far' }),
  well('a gate of people, with a test login', { road: 'gate: wardens', login: true }),
  well('a gate of people before a service that asks for a password itself', {
    road: 'gate: wardens',
    service: { does: ownQuestion },
  }),
  well('the same with a test login', { road: 'gate: wardens', service: { does: ownQuestion }, login: true }),
  well('a gate of networks before a service that refuses by itself', {
    road: 'gate: far',
    service: { does: { answers: 403, body: 'the camera is for wardens' } },
  }),
  well('a gate that lets one address of this machine in', { road: 'gate: home' }),
  well('parts of a road lead elsewhere', {
    road: 'paths: {/tables: ":{tides}", /old: {redirect: "https://www.example.org"}}',
  }),
  well('a folder', { to: '{folder: ./site}' }, ['haproxy']),
  well('a road that redirects', { to: '{redirect: "https://www.example.org"}' }),
  well('methods that are kept', { road: 'methods: [GET, HEAD]' }),
  well('methods and a rate that are kept', { road: 'methods: [GET, HEAD], rate: 2/s burst 3' }, ['httpd']),
  well('a limit of uploads that is kept', { road: 'body-limit: 1500KiB' }),
  well('a service that takes no uploads itself', {
    service: { does: { when: { method: 'OPTIONS' }, then: { answers: 413 }, otherwise: 'page' } },
  }),
  well('a service that speaks over live connections alone', {
    service: { live: 'echoes', does: { answers: 426, headers: { upgrade: 'websocket' } } },
    road: 'expect: {path: /live}',
  }),
  well('a login page that names where to go afterwards', {
    service: { does: { answers: 302, headers: { location: 'https://login.example.org/?to={target}&state={time}' } } },
  }),
].flat();
