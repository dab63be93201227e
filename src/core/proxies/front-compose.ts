import { deviceFilesOf, filesOf } from '../gates/check.ts';
import { isPracticeFront } from '../plan/practice-front.ts';
import { stringify } from 'yaml';
import type { PublishedPort, Service } from '../inventory/inventory.ts';
import { onLoopback, portEnding } from '../inventory/on-loopback.ts';
import type { Plan } from '../plan/plan.ts';
import { dialledParts, servicesOf } from '../plan/parts.ts';
import { sharedNetworks } from '../plan/shared-networks.ts';
import type { WhereFront } from '../plan/where-front.ts';
import { quotedStyle } from './compose-parts.ts';
import { programOf } from './programs.ts';

export const frontComposeFile = 'front.compose.yaml';

/** First line of the file; what does not begin so is somebody else's and is never replaced. */
export const frontComposeHeader = '# Written by `mile-marker write --compose` from your map. Do not edit it here.';

/**
 * @property folders absolute paths that the proxy reads: written files and certificates, parents and never single files,
 *   since a file that is replaced by another stays the old one inside a container
 * @property owner user and group that the certificates' keys belong to
 * @property program folder of this program, for the builtin proxy
 */
interface FrontComposeInput {
  plan: Plan;
  front: Extract<WhereFront, { kind: 'container' }>;
  mapFile: string;
  folders: { front: string; certificates: string };
  owner: { uid: number; gid: number };
  program: string;
  /** The command for Compose files on this machine. */
  compose: string;
}

/**
 * A Compose file for the proxy itself: its ports, the written files read-only, the networks of its services, and as little
 * right as it can work with (Compose Specification, "services").
 */
export function frontCompose(input: FrontComposeInput): string {
  const { plan, front, compose } = input;
  const networks = sharedNetworks([...servicesOf(plan)], front.networks ?? []);
  const { listen } = plan.front;
  const outside = isPracticeFront(plan.front) ? '127.0.0.1:' : '';
  const { uid, gid } = input.owner;
  // Keys of root are read by root, who needs these three to become somebody else, as some images do by themselves.
  const givesUpRoot = uid === 0 && programOf(plan.front.proxy).userInImage !== null;
  const rights = givesUpRoot ? { cap_add: ['CHOWN', 'SETGID', 'SETUID'] } : { user: `${String(uid)}:${String(gid)}` };
  const service = {
    container_name: front.name,
    ...rights,
    ...programPart(input),
    restart: 'unless-stopped',
    ports: [...[listen.http, listen.https].map((port) => ({ port, protocol: 'tcp' as const })), ...plan.ports].map(
      ({ port, protocol }) => `${outside}${String(port)}:${String(port)}${portEnding(protocol)}`,
    ),
    networks: networks.length === 0 ? undefined : networks,
    cap_drop: ['ALL'],
    security_opt: ['no-new-privileges:true'],
    read_only: true,
    tmpfs: ['/tmp'],
  };
  const declared = Object.fromEntries(networks.map((name) => [name, { external: true, name }]));
  const file = { services: { front: service }, ...(networks.length === 0 ? {} : { networks: declared }) };
  // The engine would take a dollar sign for a variable.
  return `${frontComposeHeader}\n# Start it: ${compose} -f ${frontComposeFile} up -d\n${stringify(file, quotedStyle).replaceAll('$', '$$$$')}`;
}

function programPart({ plan, mapFile, folders, program, owner }: FrontComposeInput): Record<string, unknown> {
  const more = foldersOfMap(plan, mapFile);
  return programOf(plan.front.proxy).compose?.({ plan, mapFile, ...folders, more, program, owner }) ?? {};
}

/**
 * What the proxy reads beside its own files: folders that roads show, pending challenges, and the folders that password files and
 * authorities of services are in. The map's own folder holds keys, so of a file in it only the file itself is given.
 */
export function foldersOfMap({ roads, challenges }: Plan, mapFile: string): string[] {
  const own = parentOf(mapFile);
  const passwords = roads.flatMap(({ gate }) => filesOf(gate));
  const authorities = dialledParts(roads).flatMap(({ upstream: { trust } }) => (trust.kind === 'ca' ? trust.file : []));
  const devices = roads.flatMap(({ gate }) => deviceFilesOf(gate));
  const files = [...passwords, ...devices, ...authorities];
  const shown = roads.flatMap(({ parts }) => parts.flatMap(({ leads }) => (leads.kind === 'folder' ? leads.path : [])));
  const parents = files.map((file) => (parentOf(file) === own ? file : parentOf(file)));
  return [...new Set([...(challenges === null ? [] : [challenges]), ...shown, ...parents])].sort();
}

function parentOf(path: string): string {
  return path.slice(0, path.lastIndexOf('/')) || '/';
}

/**
 * What to change in a Compose file so that a service can no longer be reached past the front.
 *
 * @property instead the line as it should be, or null when it should go
 */
export interface ClosedPort {
  service: string;
  file: string;
  line: number;
  written: string;
  instead: string | null;
}

/**
 * The exact lines that close the back doors of the services on roads. The files themselves are edited by their owner: an
 * override file cannot do it, since lists are appended (Compose Specification, "Merge and override").
 */
export function closedPorts(plan: Plan, front: WhereFront): ClosedPort[] {
  const found = [...servicesOf(plan)].flatMap((service) =>
    service.published.filter(isOpen).map((port) => closedPort(service, port, front)),
  );
  const byPlace = new Map(found.map((one) => [`${one.file}:${String(one.line)}`, one]));
  return [...byPlace.values()].sort((a, b) => (a.file === b.file ? a.line - b.line : a.file < b.file ? -1 : 1));
}

function isOpen({ hostAddress, where, protocol }: PublishedPort): boolean {
  return where !== null && protocol === 'tcp' && (hostAddress === null || hostAddress === '::');
}

function closedPort(
  { name }: Service,
  { where, written, containerPort, inFlow }: PublishedPort,
  front: WhereFront,
): ClosedPort {
  const text = written ?? String(containerPort);
  const about = { service: name, file: where?.file ?? '', line: where?.line ?? 0, written: text };
  return { ...about, instead: front.kind === 'container' ? null : onLoopback(text, { inFlow }) };
}
