import pLimit from 'p-limit';
import { connect, type Limits } from '../../../adapters/probe/connect.ts';
import { handshake } from '../../../adapters/probe/handshake.ts';
import type { HeldCertificate } from '../../../core/certificates/cover.ts';
import type { Finding } from '../../../core/findings/finding.ts';
import { isWalled } from '../../../adapters/files/firewall-journal.ts';
import { inNetworks, isPrivate } from '../../../core/networks/address.ts';
import { servicesHere } from '../../../core/inventory/inventory.ts';
import { judgeOpenPorts, watchedPorts, type OpenPort } from '../../../core/legs/gate/open-ports.ts';
import { readHeld, type Site } from '../../map/load.ts';

export interface OpenPortsInput {
  site: Site;
  addresses: readonly string[];
  httpsPort: number;
  limits: Limits;
  concurrency: number;
}

/** Tries a bounded list of ports at the front's addresses, each of which must first show a certificate that lies here. */
export async function findOpenPorts({
  site,
  addresses,
  httpsPort,
  limits,
  concurrency,
}: OpenPortsInput): Promise<Finding[]> {
  const { plan, inventory } = site;
  const held = [...readHeld(plan).values()].flatMap((one) => (one === null ? [] : [one.fingerprint]));
  const proofs = await Promise.all(
    addresses.map((address) => isOurs({ address, port: httpsPort, held, limits, site })),
  );
  const ours = addresses.filter((_, index) => proofs[index] === true);
  const published = new Map(
    servicesHere(inventory).flatMap(({ name, published: list }) =>
      list.flatMap(({ protocol, hostPort }) =>
        protocol === 'tcp' && hostPort !== null ? [[hostPort, `container ${name}`] as const] : [],
      ),
    ),
  );
  const raw = plan.ports.flatMap(({ port, protocol }) => (protocol === 'tcp' ? [port] : []));
  const named = [plan.front.ports.http, plan.front.ports.https, httpsPort, ...raw];
  const ports = [...new Set([...watchedPorts.keys(), ...published.keys()])].filter((port) => !named.includes(port));
  const limit = pLimit(concurrency);
  const tried = await Promise.all(
    ours.flatMap((address) =>
      ports.map((port) =>
        limit(async (): Promise<OpenPort[]> =>
          (await connect({ address, port, ...limits })).ok ? [{ address, port }] : [],
        ),
      ),
    ),
  );
  const fromHome = isNear(site, [...ours, ...plan.front.home]);
  const unproven = addresses.filter((address) => !ours.includes(address));
  const here = site.host.addresses.map(({ address }) => address).filter((address) => !isPrivate(address));
  return judgeOpenPorts({
    open: tried.flat(),
    unproven,
    published,
    fromHome,
    here,
    isWalled: await isWalled(site.paths),
  });
}

/** Whether one of the addresses lies in a network that this machine is on. */
export function isNear({ host }: Site, addresses: readonly string[]): boolean {
  const networks = host.addresses.map(({ network }) => network);
  return addresses.some((address) => inNetworks(address, networks));
}

interface ProofInput {
  address: string;
  port: number;
  held: readonly HeldCertificate['fingerprint'][];
  limits: Limits;
  site: Site;
}

async function isOurs({ address, port, held, limits, site }: ProofInput): Promise<boolean> {
  const [road] = site.plan.roads;
  if (road === undefined) return false;
  const seen = await handshake({ address, port, name: road.name, trust: { given: [], practice: [] }, ...limits });
  return seen.ok && held.includes(seen.value.leaf.fingerprint);
}
