import type { FrontView } from './front-view.ts';
import type { Run, Shared } from './testing.ts';

/** What those see who name nothing, and which addresses are ours: this machine's own, and those that show what lies here. */
export async function proveAddresses(
  { input, limiter }: Run,
  front: FrontView,
): Promise<Pick<Shared, 'shownToAll' | 'ours'>> {
  const { prober, held, here, roads } = input;
  const known = [...held.values()].flatMap((one) => (one === null ? [] : [one.fingerprint]));
  const [first] = roads;
  const shownToAll = new Map<string, string>();
  const ours: string[] = [];
  await Promise.all(
    front.open('https').map(async (endpoint) => {
      const [bare, named] = await Promise.all(
        ['', first?.name ?? ''].map((name) => limiter(() => prober.handshake(endpoint, name))),
      );
      if (bare?.ok === true) shownToAll.set(endpoint.address, bare.value.leaf.fingerprint);
      const isProven = named?.ok === true && known.includes(named.value.leaf.fingerprint);
      if (isProven || here.includes(endpoint.address)) ours.push(endpoint.address);
    }),
  );
  return { shownToAll, ours };
}
