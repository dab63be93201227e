import { labelledRoads } from '../../src/core/labels/labelled-roads.ts';
import type { HeldCertificate } from '../../src/core/certificates/cover.ts';
import { readCompose } from '../../src/core/inventory/compose.ts';
import type {
  Container,
  EngineNetwork,
  HostFacts,
  ListeningSocket,
  Service,
} from '../../src/core/inventory/inventory.ts';
import { withContainers } from '../../src/core/inventory/with-containers.ts';
import { runRules } from '../../src/core/rules/all-rules.ts';
import type { Facts, Served } from '../../src/core/rules/rule.ts';
import { noFiles, type FilesOfMap } from '../../src/core/plan/files-of-map.ts';
import { mapOf, plannedOf, someHost } from './plan.ts';

export const now = Date.parse('2026-11-23T12:00:00Z');

export const held = (names: string[], change: Partial<HeldCertificate> = {}): HeldCertificate => ({
  dnsNames: names,
  subject: '',
  issuer: 'CN=authority',
  notBefore: now - 1000,
  notAfter: now + 1000,
  selfMade: false,
  fingerprint: 'AA',
  chain: [],
  inOrder: true,
  complete: true,
  keyFits: true,
  keyMode: 0o600,
  weak: null,
  forServers: true,
  ...change,
});

export const head = 'domains: [saltmarsh.example, reedbed.example]\nfront: {address: 203.0.113.24}\n';

const usual = 'restart: always';
const composeText = `services: {nestcam: {ports: ["127.0.0.1:3001:3000"], ${usual}}, open: {ports: ["8081:80"], ${usual}}, shut: {${usual}}, any: {ports: ["70-79:80"], ${usual}}}`;

/** What surrounds a map in a test. `containers` are what the engine answered; without them it was not asked. */
export interface Case {
  compose?: boolean | string;
  containers?: Container[];
  networks?: EngineNetwork[];
  sockets?: ListeningSocket[];
  startsAtBoot?: boolean;
  certificates?: Record<string, HeldCertificate | null>;
  served?: Served;
  files?: Partial<FilesOfMap>;
  issuedBy?: Record<string, string>;
  hsts?: Record<string, number>;
  host?: Partial<HostFacts>;
  owner?: string;
  updateKey?: Facts['updateKey'];
  /** More services, as a cluster has them. */
  services?: Service[];
}

/** What the rules say of a map, as `rule: message | remedy`. Certificates are in order unless the case says otherwise. */
export function told(text: string, given: Case = {}): string[] {
  const { compose = true, certificates = {}, containers, networks = [], sockets = [] } = given;
  const whole = `${text.startsWith('domains') ? '' : head}${compose === false ? '' : 'compose: [c]\n'}${text}`;
  const composed = typeof compose === 'string' ? compose : composeText;
  const declared =
    compose === false ? [] : readCompose({ file: 'c', text: composed, project: 'p', variables: {} }).services;
  const services = [...withContainers(declared, containers ?? []), ...(given.services ?? [])];
  const inventory = { services, networks, asked: containers !== undefined, failed: false, machines: [], nodes: [] };
  const planned = plannedOf(whole, inventory, { ...someHost, ...given.host });
  const all = planned.plan.certificates.map(
    ({ id, names }) => [id, id in certificates ? (certificates[id] ?? null) : held(names)] as const,
  );
  return runRules({
    pages: [],
    notObeyed: labelledRoads(mapOf(whole), inventory).notObeyed,
    installed: { version: null, modules: null },
    map: mapOf(whole),
    ...planned,
    inventory,
    certificates: new Map(all),
    served: given.served ?? null,
    sockets,
    startsAtBoot: given.startsAtBoot ?? null,
    files: { ...noFiles, ...given.files },
    issuedBy: new Map(Object.entries(given.issuedBy ?? {})),
    isWalled: false,
    former: null,
    room: null,
    owner: given.owner ?? null,
    updateKey: given.updateKey ?? null,
    hsts: new Map(Object.entries(given.hsts ?? {})),
    now,
  }).map(({ rule, message, remedy }) => `${rule}: ${message} | ${remedy}`);
}

/** A running container that is well, unless `change` says otherwise. */
export function container(name: string, change: Partial<Container> = {}): Container {
  return {
    id: name,
    name,
    made: null,
    state: 'running',
    health: null,
    exitCode: 0,
    project: null,
    service: null,
    image: 'observatory/pages',
    published: [],
    exposed: [],
    networks: [{ name: 'p_default', aliases: [name], address: '172.20.0.9' }],
    networkMode: null,
    restart: 'always',
    labels: {},
    mounts: [],
    listening: null,
    ...change,
  };
}

/** A container of a Compose service of the project `p`. */
export function ofService(service: string, change: Partial<Container> = {}): Container {
  const networks = [{ name: 'p_default', aliases: [service], address: '172.20.0.9' }];
  return container(`p-${service}-1`, { project: 'p', service, networks, ...change });
}

/** `OUTSIDE:INSIDE` on loopback, or on every address with `*` before it. */
export function published(text: string): Container['published'] {
  const [hostPort = 0, containerPort = 0] = text.replace('*', '').split(':').map(Number);
  const hostAddress = text.startsWith('*') ? null : '127.0.0.1';
  return [{ hostAddress, hostPort, containerPort, protocol: 'tcp', where: null, written: null, inFlow: false }];
}

/** A socket that waits on a TCP port of all IPv4 addresses, held by these programs. */
export function socket(port: number, ...owners: string[]): ListeningSocket {
  const held = owners.map((name) => ({ pid: [...name].reduce((sum, letter) => sum + letter.charCodeAt(0), 0), name }));
  return { protocol: 'tcp', family: 4, address: null, port, owners: held };
}
