import { covers } from '../certificates/cover.ts';
import { tell } from '../findings/card.ts';
import type { Finding } from '../findings/finding.ts';
import { roadName } from './road-name.ts';
import { asciiName } from '../names/host-name.ts';
import type { YamlText } from '../yaml/document.ts';
import { mapValueWrong } from './cards.ts';
import { parseRawTo } from './leads.ts';
import { unknownName } from './references.ts';
import type { MapKeys, PortKeys } from './schema/map.ts';
import type { MapCertificate, MapPort, MapRoad, Protocol } from './site-map.ts';

interface PortsInput {
  keys: MapKeys;
  yaml: YamlText;
  domains: readonly string[];
  roads: readonly MapRoad[];
  certificates: readonly MapCertificate[];
}

/** The raw ports of a map, in its order, and what is wrong with them. One that leads nowhere sound is left out. */
export function portsOfMap(input: PortsInput): { ports: MapPort[]; findings: Finding[] } {
  const made = Object.entries(input.keys.ports ?? {}).map(([name, written]) => makePort(name, written, input));
  return { ports: made.flatMap(({ port }) => port ?? []), findings: made.flatMap(({ findings }) => findings) };
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
    else if (keys.gates?.[gate]?.people !== undefined) slip('raw-people', ['gate'], { text: gate });
  }
  if (protocol === 'udp')
    for (const key of ['tls', 'proxy-protocol'] as const) if (written[key]) slip('raw-udp', [key]);
  if (written.name !== undefined && !written.tls) slip('raw-name', ['name']);
  const shown = written.name === undefined ? (domains[0] ?? '') : shownName(written.name, domains);
  if (written.tls && protocol === 'tcp' && !hasCertificate(shown, input)) {
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
