import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { ProxyName } from '../src/core/proxies/names.ts';

/** A road of the bench, by its number. */
export const roadName = (index: number): string => `hide-${String(index)}`;

/** @property pairs each name with a certificate of its own, instead of one wildcard for all */
interface LargeMap {
  roads: number;
  proxy: ProxyName;
  pairs?: boolean;
  ports?: { http: number; https: number; mark: number };
  /** Where each road leads; default: a machine of its own. */
  to?: (index: number) => string;
  /** Where what lies below a path of some of them leads. */
  below?: string;
}

/** A map as a club that hosts for its members has it: short forms and long ones, some with limits, some with a path that leads elsewhere. */
export function largeMap({
  roads,
  proxy,
  pairs = false,
  ports = { http: 8080, https: 8443, mark: 29180 },
  to = ownMachine,
  below = 'http://10.127.0.1:9000',
}: LargeMap): string {
  const certificates = pairs
    ? ''
    : 'certificates:\n  marsh: {from: practice, names: [saltmarsh.example], wildcard: true}\n';
  const head = `domains: [saltmarsh.example]
front:
  address: 127.0.0.1
  ports: {http: ${String(ports.http)}, https: ${String(ports.https)}}
  mark: 127.0.0.1:${String(ports.mark)}
  home-networks: [127.0.0.0/8, 192.168.64.0/24]
  proxy: ${proxy}
engine: none
${certificates}roads:
`;
  return head + Array.from({ length: roads }, (_, index) => roadText(index, to(index), below)).join('');
}

const ownMachine = (index: number): string =>
  `http://10.${String(64 + (index >> 16))}.${String((index >> 8) & 255)}.${String(index & 255)}:8080`;

function roadText(index: number, to: string, below: string): string {
  const gate = index % 5 === 1 || index % 5 === 4 ? 'home' : 'everyone';
  if (index % 4 === 0) return `  ${roadName(index)}: {to: "${to}", gate: ${gate}}\n`;
  const limit = index % 4 === 1 ? '    body-limit: 64MiB\n' : '';
  const path = index % 7 === 3 ? `    paths:\n      /live: {to: "${below}"}\n` : '';
  return `  ${roadName(index)}:\n    to: "${to}"\n    gate: ${gate}\n${limit}${path}`;
}

/** A folder with such a map. */
export function largeMapFolder(folder: string, map: LargeMap): string {
  mkdirSync(folder, { recursive: true });
  writeFileSync(join(folder, 'mile-marker.yaml'), largeMap(map));
  return folder;
}
