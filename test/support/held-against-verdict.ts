import { chmodSync, existsSync, readFileSync, statSync, symlinkSync } from 'node:fs';
import { join } from 'node:path';
import { playDevices, type PlayedDevices } from '../../src/adapters/certificates/played-devices.ts';
import type { ServiceWords, ShownDevice } from '../../src/core/gates/kind.ts';
import { decide, prepare } from '../../src/core/verdict/decide.ts';
import { send } from '../../src/adapters/rehearsal/send.ts';
import { checksOf } from '../../src/core/gates/check.ts';
import { deviceCheckOf, nameThatPasses } from '../../src/core/gates/devices.ts';
import type { Plan } from '../../src/core/plan/plan.ts';
import { statePaths } from '../../src/adapters/files/state-folder.ts';
import { deviceFiles } from '../../src/adapters/files/device-files.ts';
import { readLedger } from '../../src/core/devices/ledger.ts';
import { startStandIn, type StandIn } from '../../src/adapters/rehearsal/stand-in.ts';
import { compare, type InFolder } from '../../src/core/rehearsal/compare.ts';
import { takenBy } from '../../src/core/rehearsal/taken.ts';
import { requestOf, type Outcome, type Sent } from '../../src/core/rehearsal/sent.ts';
import type { Prepared, Verdict } from '../../src/core/verdict/verdict.ts';
import { proxyNames } from '../../src/core/proxies/names.ts';
import { inCrowds, startFront, type ProxyName, type RunningFront, type CrowdedProxy } from './fronts.ts';
import { freePorts } from './ports.ts';
import { inventoryOf, plannedOf, someHost } from './plan.ts';
import { folderWith, mileMarker } from './program.ts';

/**
 * A request to a running front, to be held against the verdict. What malformed requests get may differ in kind (another 4xx, or a
 * closed connection), but never reaches a service.
 */
export interface Row {
  what: string;
  listener?: 'http' | 'https';
  /** Default: the first Host. */
  sni?: string | null;
  host?: string[];
  method?: string;
  target?: string;
  version?: '1.0' | '1.1' | '2.0';
  from?: string;
  headers?: Array<[string, string]>;
  body?: string;
  /** Who the credentials among `headers` prove. */
  person?: string;
  knownIn?: string[];
  overRate?: boolean;
  /** What services that the gate asks say of it. */
  words?: ServiceWords;
  /** What its device shows. */
  device?: ShownDevice;
}

export interface Ports {
  http: number;
  https: number;
  mark: number;
  dead: number;
}

export type MapText = (given: { proxy: ProxyName; ports: Ports; echoes: readonly StandIn[] }) => string;

/** How a map is served: by a proxy, or by one that has the files of a large map. */
export type HeldKind = ProxyName | `${CrowdedProxy} in crowds`;

/** Every one of them. */
export const heldKinds: readonly HeldKind[] = [
  ...proxyNames,
  ...(Object.keys(inCrowds) as CrowdedProxy[]).map((proxy): HeldKind => `${proxy} in crowds`),
];

export const proxyOf = (kind: HeldKind): ProxyName => kind.replace(' in crowds', '') as ProxyName;

/** A front that runs a map, with services that say what reached them. */
export class HeldFront {
  private constructor(
    readonly ports: Ports,
    readonly folder: string,
    readonly echoes: readonly StandIn[],
    readonly prepared: Prepared,
    private readonly front: RunningFront,
    private readonly devices: PlayedDevices | null,
  ) {}

  /** @param files beside the map, in the same folder @param links there, and where they lead */
  static async start(
    kind: HeldKind,
    mapText: MapText,
    files: Record<string, string> = {},
    links: Record<string, string> = {},
  ): Promise<HeldFront> {
    const proxy = proxyOf(kind);
    const echoes = await Promise.all(['bird-log', 'nestcam', 'roster'].map((name) => startStandIn(name)));
    const [http = 0, https = 0, mark = 0, dead = 0] = await freePorts(4);
    const ports = { http, https, mark, dead };
    const text = mapText({ proxy, ports, echoes });
    const folder = folderWith({ ...files, 'mile-marker.yaml': text });
    for (const [name, to] of Object.entries(links)) symlinkSync(to, join(folder, name));
    // nginx serves as a user of its own.
    chmodSync(folder, 0o755);
    const { plan } = plannedOf(text, inventoryOf([]), someHost, folder);
    const names = plan.roads.flatMap(({ gate }) => checksOf(gate, 'devices').flatMap((check) => check.names ?? []));
    const devices = asksDevices(plan) ? await playedIn(folder, [...new Set(['phone', 'verify', ...names])]) : null;
    const front = await startFront(folder, proxy, kind !== proxy);
    return new HeldFront(ports, folder, echoes, prepare(plan), front, devices);
  }

  async stop(): Promise<void> {
    await this.front.stop();
    for (const echo of this.echoes) echo.stop();
  }

  verdictOf(row: Row): Verdict {
    return decide(this.prepared, requestOf(sentOf(row)));
  }

  async send(row: Row): Promise<Outcome> {
    return this.sendIt(sentOf(row));
  }

  private nameAt({ host }: Sent): string | null {
    const road = this.prepared.askedFor(host[0] ?? '')?.road ?? null;
    return road === null ? null : nameThatPasses(road.gate);
  }

  private sendIt(sent: Sent): Promise<Outcome> {
    const { http, https } = this.ports;
    return send(sent, { address: '127.0.0.1', http, https }, this.devices?.(sent.device, this.nameAt(sent)) ?? null);
  }

  /** Sends one request and expects what the verdict says. */
  async holds(row: Row): Promise<void> {
    expect([row.what, ...(await this.differs(row))]).toEqual([row.what]);
  }

  /** Sends one request. @returns in what the front did otherwise than the verdict says */
  async differs(row: Row): Promise<Array<{ expected: string; got: string }>> {
    for (const echo of this.echoes) echo.seen.length = 0;
    const own = sentOf(row);
    const outcome = await this.sendIt(own);
    const reached = this.echoes.flatMap(({ name, seen }) => seen.map((one) => ({ service: name, seen: one })));
    const { sent, verdict, status } = takenBy(this.prepared, own);
    const got = outcome.kind === 'answer' ? String(outcome.status) : outcome.kind;
    if (status !== null && got !== String(status)) return [{ expected: String(status), got }];
    const service =
      verdict.act === 'forward' ? (this.echoes.find(({ port }) => port === verdict.upstream.port)?.name ?? null) : null;
    const inFolder = verdict.act === 'folder' ? inFolderAt(verdict) : 'nothing';
    return compare({ sent, verdict, outcome, reached, service, inFolder });
  }
}

/** Devices as somebody adds them, and others of every kind. */
async function playedIn(folder: string, names: readonly string[]): Promise<PlayedDevices> {
  const [paths, now] = [statePaths(join(folder, 'mile-marker.yaml')), new Date()];
  for (const name of names) {
    const { code, err } = await mileMarker(['devices', 'add', name], folder);
    if (code !== 0) throw new Error(err);
  }
  const files = deviceFiles(paths);
  const text = (path: string): string => readFileSync(path, 'utf8');
  const removed = readLedger(text(files.ledger))?.spare ?? '';
  const authority = { certificate: text(files.authority), key: text(files.key) };
  return playDevices({ authority, names, removed, now });
}

function asksDevices({ roads }: Plan): boolean {
  return roads.some(({ gate }) => deviceCheckOf(gate) !== null);
}

export function sentOf(row: Row): Sent {
  const { listener = 'https', host = [], method = 'GET', target = '/', version = '1.1', from = '127.0.0.1' } = row;
  const first = host[0]?.replace(/:\d*$/, '') ?? null;
  const sni = listener === 'http' ? null : row.sni === undefined ? first : row.sni;
  const { headers = [], body = null, person = 'none', overRate = false } = row;
  const proof = row.knownIn === undefined ? {} : { knownIn: row.knownIn };
  const words = row.words === undefined ? {} : { words: row.words };
  const device = row.device === undefined ? {} : { device: row.device };
  return {
    listener,
    sni,
    host,
    method,
    target,
    version,
    from,
    headers,
    body,
    person,
    ...proof,
    overRate,
    ...words,
    ...device,
  };
}

/** The file on the disk is the one fact that a verdict about a folder leaves open. */
function inFolderAt({ root, path }: Extract<Verdict, { act: 'folder' }>): InFolder {
  const file = path === null ? null : join(root, path);
  if (file === null || !existsSync(file) || readFileSync(join(root, 'links.txt'), 'utf8').includes(path ?? ''))
    return 'nothing';
  return statSync(file).isDirectory() ? 'folder' : 'file';
}
