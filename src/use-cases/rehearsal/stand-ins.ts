import { readFile } from 'node:fs/promises';
import { join } from 'node:path';
import { startStandIn, type StandIn } from '../../adapters/rehearsal/stand-in.ts';
import { checksOf } from '../../core/gates/check.ts';
import { parseAddress } from '../../core/networks/address.ts';
import { addressesOf, dialledParts } from '../../core/plan/parts.ts';
import type { Plan } from '../../core/plan/plan.ts';
import type { Upstream } from '../../core/plan/upstream.ts';
import type { Seen } from '../../core/rehearsal/sent.ts';

/** Every service that a plan dials, once: those of roads, and those that gates ask. */
export function upstreamsOf({ roads }: Pick<Plan, 'roads'>): Map<string, Upstream> {
  const asked = roads.flatMap(({ gate }) => checksOf(gate, 'asks').flatMap(({ upstream }) => upstream ?? []));
  const all = [...dialledParts(roads).map(({ upstream }) => upstream), ...asked];
  return new Map(all.map((upstream) => [upstreamKey(upstream), upstream]));
}

export function upstreamKey({ scheme, host, port }: Upstream): string {
  return `${scheme}://${host}:${String(port)}`;
}

/** What people call each of them: the service's name where no other has it, else where it is dialled. */
export function upstreamNames(plan: Pick<Plan, 'roads'>): string[] {
  const all = [...upstreamsOf(plan).values()];
  const named = all.map(({ service, host, port }) => `${service ?? host}:${String(port)}`);
  return all.map(({ host, port }, index) => {
    const name = named[index] ?? '';
    return named.indexOf(name) === named.lastIndexOf(name) ? name : `${host}:${String(port)}`;
  });
}

/** Loopback addresses of their own for services that are dialled by name. */
export function addressesOfNames(plan: Pick<Plan, 'roads'>): Map<string, string> {
  const names = [...upstreamsOf(plan).values()].filter(({ byName }) => byName).map(({ host }) => host);
  return new Map(
    [...new Set(names)].map((name, index) => [name, `127.77.${String(index >> 8)}.${String((index & 255) + 1)}`]),
  );
}

/** Whether nothing can stand in for a service on this one machine: the front has the same port at any address. */
export function isInTheWay({ port, host }: Upstream, { front }: Pick<Plan, 'front'>): boolean {
  const { addresses, http, https } = front.listen;
  const any = host.includes(':') ? '::' : '0.0.0.0';
  return [http, https].includes(port) && (addresses.includes(any) || addresses.includes(host));
}

/** A stand-in for every service, just where the front dials it. @returns by `upstreamKey` */
export async function startStandIns(
  plan: Plan,
  { scratch, called, onSeen }: { scratch: string; called: string[]; onSeen: (service: string, seen: Seen) => void },
): Promise<Map<string, StandIn>> {
  const names = addressesOfNames(plan);
  const started = new Map<string, StandIn>();
  for (const [index, [key, upstream]] of [...upstreamsOf(plan)].entries()) {
    if (isInTheWay(upstream, plan)) continue;
    const name = called[index] ?? key;
    const tls = upstream.scheme === 'https' ? { tls: await pairFor(upstream, scratch) } : {};
    for (const [nth, { host, port }] of addressesOf(upstream).entries()) {
      const address = names.get(host) ?? host;
      const standIn = await startStandIn(name, { address, port, ...tls, onSeen: (seen) => onSeen(name, seen) });
      // Whichever of several is reached, it is that service.
      started.set(nth === 0 ? key : `${key} ${String(nth)}`, standIn);
    }
  }
  return started;
}

/** A certificate of the rehearsal's own authority, which the front is led to trust. */
async function pairFor({ verifyAs, host }: Upstream, scratch: string): Promise<{ cert: string; key: string }> {
  const { makeKey, signLeaf } = await import('../../adapters/certificates/make.ts');
  const authority = {
    certificate: await readFile(join(scratch, 'authority.pem'), 'utf8'),
    key: await readFile(join(scratch, 'authority.key'), 'utf8'),
  };
  const name = verifyAs ?? host;
  const made = await makeKey();
  const cert = await signLeaf({
    ...(parseAddress(name) === null ? { names: [name] } : { names: [], addresses: [name] }),
    ...{ publicKey: made.publicKey, authority, now: new Date(), days: 1 },
  });
  return { cert, key: made.key };
}
