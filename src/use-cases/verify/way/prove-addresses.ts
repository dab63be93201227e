import { isLoopback } from '../../../core/networks/address.ts';
import type { FrontView } from '../asking/front-view.ts';
import type { Run, Shared } from '../testing.ts';

/**
 * What those see who name nothing, and which addresses are ours: this machine's own, those that show what lies here, and those that show
 * what the front on this machine shows, which is known by its mark: a router or another network translates addresses, and nobody lists them.
 */
export async function proveAddresses(
  { input, limiter }: Run,
  front: FrontView,
): Promise<Pick<Shared, 'shownToAll' | 'ours' | 'own'>> {
  const { prober, held, here, roads } = input;
  const known = [...held.values()].flatMap((one) => (one === null ? [] : [one.fingerprint]));
  const [first] = roads;
  const own = await shownHere({ input, limiter }, first?.name ?? '');
  const shownToAll = new Map<string, string>();
  const ours: string[] = [];
  await Promise.all(
    front.open('https').map(async (endpoint) => {
      const [bare, named] = await Promise.all(
        ['', first?.name ?? ''].map((name) => limiter(() => prober.handshake(endpoint, name))),
      );
      if (bare?.ok === true) shownToAll.set(endpoint.address, bare.value.leaf.fingerprint);
      const shown = named?.ok === true ? named.value.leaf.fingerprint : null;
      const isProven = shown !== null && (known.includes(shown) || shown === own?.fingerprint);
      const isHere = here.includes(endpoint.address) || (prober.isLive && isLoopback(endpoint.address));
      if (isProven || isHere) ours.push(endpoint.address);
    }),
  );
  return { shownToAll, ours, own: own?.address ?? null };
}

/** Where the front of this machine answers itself, and the certificate that it shows there for a name; null when no front of this map says that it runs here. */
async function shownHere(
  { input: { running, plan, here, prober }, limiter }: Pick<Run, 'input' | 'limiter'>,
  name: string,
): Promise<{ address: string; fingerprint: string } | null> {
  if (running?.isOurs !== true || !prober.isLive) return null;
  for (const address of ['127.0.0.1', '::1', ...here.filter((one) => !isLoopback(one)).slice(0, 4)]) {
    const shown = await limiter(() => prober.handshake({ address, port: plan.front.listen.https }, name));
    if (shown.ok) return { address, fingerprint: shown.value.leaf.fingerprint };
  }
  return null;
}
