import { checkOrder, gateKinds } from '../gates/kinds.ts';
import { covers } from '../certificates/cover.ts';
import { tell } from '../findings/card.ts';
import type { Finding } from '../findings/finding.ts';
import { roadName } from './road-name.ts';
import { asciiName, isUnder } from '../names/host-name.ts';
import type { YamlText } from '../yaml/document.ts';
import { mapValueWrong } from './cards.ts';
import { parseRawTo } from './leads.ts';
import { unknownName } from './references.ts';
import { readRules } from '../road-rules/road-rules.ts';
import { upstreamKeys } from './upstream-keys.ts';
import type { MapKeys, PortKeys } from './schema/map.ts';
import type { MapCertificate, MapPort, MapRoad, Protocol } from './site-map.ts';

interface PortsInput {
  keys: MapKeys;
  yaml: YamlText;
  domains: readonly string[];
  roads: readonly MapRoad[];
  certificates: readonly MapCertificate[];
}

/**
 * The raw ports of a map, in its order, and what is wrong with them. One that leads nowhere sound is left out.
 *
 * @returns names those of raw ports that no road has and no certificate of the map covers, each as a road on which nothing is shown: so they have
 *   a record, a certificate, and an answer to an authority's challenge, as every other name has
 */
export function portsOfMap(input: PortsInput): { ports: MapPort[]; names: MapRoad[]; findings: Finding[] } {
  const made = Object.entries(input.keys.ports ?? {}).map(([name, written]) => makePort(name, written, input));
  const ports = made.flatMap(({ port }) => port ?? []);
  const names = new Map<string, MapRoad>();
  for (const port of ports)
    if (port.tls !== null && !hasCertificate(port.tls, input) && isOfDomain(port.tls, input))
      names.set(port.tls, names.get(port.tls) ?? nameOnly(port.tls, port));
  return { ports, names: [...names.values()], findings: made.flatMap(({ findings }) => findings) };
}

/** Nothing is ever sent there (RFC 6761 §6.4): what is paused leads nobody anywhere. */
const nowhere = 'https://nothing.invalid';

/** A road of a name alone: paused, so that visitors of the web are told that there is nothing to see. */
function nameOnly(name: string, { name: port, where }: MapPort): MapRoad {
  return {
    name,
    display: name,
    key: name,
    where,
    parts: [{ prefix: '/', leads: { kind: 'redirect', url: nowhere, permanent: false }, where }],
    gates: ['everyone'],
    paused: true,
    rules: readRules({}),
    upstream: upstreamKeys({}),
    lines: {},
    written: {},
    fromLabel: null,
    ofPort: port,
  };
}

function isOfDomain(name: string, { domains }: PortsInput): boolean {
  return domains.some((domain) => isUnder(name, domain));
}

function makePort(name: string, written: PortKeys, input: PortsInput): { port: MapPort | null; findings: Finding[] } {
  const { keys, yaml, domains } = input;
  const findings: Finding[] = [];
  const path = ['ports', name];
  const slip = (say: keyof typeof mapValueWrong.messages, below: string[], data: Record<string, string> = {}): void => {
    const key = [...path, ...below];
    findings.push(tell(mapValueWrong, { say, data: { key: key.join('.'), ...data }, where: yaml.placeOf(key) }));
  };
  const protocol: Protocol = name.endsWith('/udp') ? 'udp' : 'tcp';
  for (const gate of written.gate) {
    const unknown = unknownName('gate', gate, keys);
    if (unknown !== null) slip(unknown.say, ['gate'], unknown.data);
    else {
      const written = keys.gates?.[gate];
      const kind = checkOrder.find((one) => written?.[one] !== undefined && !gateKinds[one].onPorts);
      if (kind !== undefined) slip('raw-people', ['gate'], { text: gate, what: gateKinds[kind].noun });
    }
  }
  if (protocol === 'udp')
    for (const key of ['tls', 'proxy-protocol'] as const) if (written[key]) slip('raw-udp', [key]);
  if (written.name !== undefined && !written.tls) slip('raw-name', ['name']);
  const shown = written.name === undefined ? (domains[0] ?? '') : shownName(written.name, domains);
  if (written.tls && protocol === 'tcp' && !hasCertificate(shown, input) && !isOfDomain(shown, input)) {
    const near = input.roads.find(({ name: road }) => !road.startsWith('*.'))?.name ?? shown;
    slip('raw-certificate', [written.name === undefined ? 'tls' : 'name'], { text: shown, near });
  }
  const leads = parseRawTo(written.to, protocol);
  if (!leads.ok) {
    slip(leads.say, [], leads.data);
    return { port: null, findings };
  }
  if (leads.leads.kind === 'service' && leads.leads.machine !== null) {
    const unknown = unknownName('machine', leads.leads.machine, keys);
    if (unknown !== null) slip(unknown.say, ['to'], unknown.data);
  }
  return {
    port: {
      name,
      port: parseInt(name, 10),
      protocol,
      leads: leads.leads,
      gates: written.gate,
      tls: written.tls ? shown : null,
      tellsVisitor: written['proxy-protocol'],
      where: yaml.placeOfKey(path),
    },
    findings,
  };
}

/** A name as the keys of roads have it; one outside of all domains may be a certificate's. */
function shownName(written: string, domains: readonly string[]): string {
  const found = roadName(written, domains);
  return found.ok ? found.name.ascii : asciiName(written);
}

function hasCertificate(name: string, { roads, certificates }: PortsInput): boolean {
  return roads.some((road) => road.name === name) || certificates.some(({ names }) => covers(names, name));
}
