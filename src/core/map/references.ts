import { tell } from '../findings/card.ts';
import type { Finding } from '../findings/finding.ts';
import { nearest } from '../findings/nearest.ts';
import { asciiName, isUnder } from '../names/host-name.ts';
import type { YamlText } from '../yaml/document.ts';
import { mapValueWrong } from './cards.ts';
import { tellsDevice } from '../gates/devices.ts';
import { splitAsked } from '../gates/asks.ts';
import { forgeable } from '../verdict/verdict.ts';
import { builtInGates } from './built-in-gates.ts';
import { parseTo, type LeadsResult } from './leads.ts';
import { isOrigin, isPathRedirect, reservedHeaders } from './road-forms.ts';
import type { MapKeys, RoadKeys } from './schema/map.ts';

type Say = keyof typeof mapValueWrong.messages;

/** What the parts of a map say of each other, outside its roads. */
export function referenceSlips(keys: MapKeys, yaml: YamlText, domains: readonly string[]): Finding[] {
  const findings: Finding[] = [];
  const slip = (say: Say, path: string[], data: Record<string, string> = {}): void => {
    findings.push(tell(mapValueWrong, { say, data: { key: path.join('.'), ...data }, where: yaml.placeOfKey(path) }));
  };
  for (const [name, { people, networks, devices, asks, tell = [] }] of Object.entries(keys.gates ?? {})) {
    if (builtInGates.includes(name)) slip('gate-reserved', ['gates', name], { text: name });
    else if (people === undefined && networks === undefined && devices === undefined && asks === undefined)
      slip('gate-empty', ['gates', name], { text: name });
    if (people !== undefined && asks !== undefined) slip('gate-two-logins', ['gates', name, 'asks'], { text: name });
    const headers = tell.filter((one) => one.toLowerCase() !== tellsDevice);
    if (headers.length > 0 && asks === undefined) slip('gate-tell', ['gates', name, 'tell']);
    if (headers.length < tell.length && devices === undefined) slip('gate-tell-device', ['gates', name, 'tell']);
    if (devices !== undefined && devices.length > 1 && devices.includes('any'))
      slip('gate-any-device', ['gates', name, 'devices']);
    for (const header of headers)
      if (notTellable.has(header.toLowerCase())) slip('gate-tell-header', ['gates', name, 'tell'], { text: header });
    if (asks !== undefined) askedSlip(asks, (say, data) => slip(say, ['gates', name, 'asks'], data));
  }
  for (const [name, { from }] of Object.entries(keys.certificates ?? {})) {
    if (from === 'acme' && keys.acme === undefined) slip('acme-missing', ['certificates', name, 'from']);
  }
  if (keys.dns?.server !== undefined && keys.dns.program !== undefined) slip('dns-two', ['dns', 'program']);
  if (keys.dns?.server !== undefined && keys.dns.key === undefined) slip('dns-key', ['dns', 'server']);
  if (keys.dns?.['update-login'] !== undefined && keys.dns['update-url'] === undefined)
    slip('dns-login', ['dns', 'update-login']);
  if (keys.cluster === true && keys.engine === 'none') slip('cluster-engine', ['cluster']);
  if (keys.front.nodes !== undefined && keys.cluster !== true) slip('nodes-cluster', ['front', 'nodes']);
  for (const name of keys.labels?.obey ?? []) {
    if (!domains.some((domain) => isUnder(asciiName(name), domain)))
      slip('labels-elsewhere', ['labels', 'obey'], { text: name, domains: domains.join(', ') });
  }
  for (const gate of keys.labels?.gates ?? []) {
    const unknown = unknownName('gate', gate, keys);
    if (unknown !== null) slip(unknown.say, ['labels', 'gates'], unknown.data);
  }
  return findings;
}

/** The service that a gate asks is written as `to` is, in clear text, with the path behind it. */
function askedSlip(asks: string, slip: (say: Say, data?: Record<string, string>) => void): void {
  const { to, path } = splitAsked(asks);
  const read = parseTo(to);
  if (!read.ok) slip(read.say, read.data);
  else if (read.leads.kind === 'url' && read.leads.scheme === 'https') slip('gate-asks-https', { text: asks });
  else if (!/^\/[A-Za-z0-9._~/-]*$/.test(path)) slip('gate-asks-path', { text: path });
}

/** Headers that no service may tell another: what the front sets itself, or connections and logins work by. */
const notTellable: ReadonlySet<string> = new Set([
  ...forgeable.filter((name) => !name.endsWith('-user')),
  ...['authorization', 'connection', 'content-length', 'cookie', 'expect', 'host', 'keep-alive', 'origin'],
  ...['proxy-connection', 'te', 'trailer', 'transfer-encoding', 'upgrade'],
]);

/** What is wrong where one part of the map names a gate or a certificate that it does not have; null when it has it. */
export function unknownName(
  what: 'gate' | 'certificate' | 'machine',
  text: string,
  { gates = {}, certificates = {}, machines = {} }: MapKeys,
): { say: Say; data: Record<string, string> } | null {
  const written = { gate: gates, certificate: certificates, machine: machines }[what];
  const given = what === 'gate' ? builtInGates : [];
  if (given.includes(text) || Object.hasOwn(written, text)) return null;
  const known = [...given, ...Object.keys(written)];
  const near = nearest(text, known);
  const data = { what, text, under: `${what}s`, known: known.join(', ') || 'none', near: near ?? '' };
  return { say: near === null ? 'name-far' : 'name-near', data };
}

/** @property leads where its own `to`, `redirect` or `folder` leads, as far as it has one */
interface RoadInput {
  key: string;
  written: RoadKeys;
  leads: LeadsResult | null;
  keys: MapKeys;
  yaml: YamlText;
}

/** What the keys of one road say of each other and of the rest of the map. */
export function roadSlips({ key, written, leads, keys, yaml }: RoadInput): Finding[] {
  const findings: Finding[] = [];
  const slip = (say: Say, below: string[], data: Record<string, string> = {}): void => {
    const path = ['roads', key, ...below];
    findings.push(tell(mapValueWrong, { say, data: { key: path.join('.'), ...data }, where: yaml.placeOf(path) }));
  };
  const refer = (what: 'gate' | 'certificate' | 'machine', text: string, below: string[] = [what]): void => {
    const unknown = unknownName(what, text, keys);
    if (unknown !== null) slip(unknown.say, below, unknown.data);
  };
  const referTo = (to: LeadsResult | null, below: string[]): void => {
    if (to?.ok === true && to.leads.kind === 'service' && to.leads.machine !== null)
      refer('machine', to.leads.machine, below);
  };
  referTo(leads, ['to']);
  for (const gate of written.gate) refer('gate', gate);
  if (written.certificate !== undefined) refer('certificate', written.certificate);
  const proofs = (['upstream-ca', 'upstream-pin', 'upstream-insecure'] as const).filter(
    (proof) => written[proof] !== undefined,
  );
  const [proof, second] = proofs;
  if (proof !== undefined && written.to?.toLowerCase().startsWith('https://') !== true) slip('upstream-alone', [proof]);
  if (second !== undefined) slip('upstream-two', [second]);
  if (written.cors?.credentials === true && written.cors.origins.includes('*')) slip('cors-everyone', ['cors']);
  for (const origin of written.cors?.origins ?? []) {
    if (!isOrigin(origin)) slip('cors-origin', ['cors'], { text: origin });
  }
  for (const name of Object.keys(written['response-headers'] ?? {})) {
    const lower = name.toLowerCase();
    const why = reservedHeaders.get(lower) ?? (lower.startsWith('access-control-') ? 'Write `cors`.' : undefined);
    if (why !== undefined) slip('header-reserved', ['response-headers', name], { text: name, why });
  }
  for (const [prefix, { to, redirect }] of Object.entries(written.paths ?? {})) {
    if (prefix === '/') slip('path-root', ['paths', prefix]);
    if ((to === undefined) === (redirect === undefined)) slip('path-leads', ['paths', prefix]);
    const below = to === undefined ? null : parseTo(to);
    if (below?.ok === false) slip(below.say, ['paths', prefix], below.data);
    referTo(below, ['paths', prefix]);
    if (redirect !== undefined && !isPathRedirect(redirect))
      slip('path-redirect', ['paths', prefix], { text: redirect });
  }
  return findings;
}
