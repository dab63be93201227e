import { prepare } from '../src/core/verdict/decide.ts';
import { programOf } from '../src/core/proxies/programs.ts';
import { HeldFront, type HeldKind, type MapText } from './support/held-against-verdict.ts';

/** How often one client may ask: the same on every proxy that counts, whoever asks, and in whatever order. Rates by the minute, so that nothing comes back meanwhile. */

const roads = { one: '1/m burst 1', few: '1/m burst 2', some: '2/m burst 5', parted: '3/m burst 3', free: null };
type Road = keyof typeof roads;
const most: Record<Road, number> = { one: 2, few: 3, some: 6, parted: 4, free: Infinity };

/** As the edge tells them. The addresses of one line are one client: an IPv4 one, also in clothes of IPv6, or those of one /64. */
const clients = [
  ['203.0.113.1'],
  ['203.0.113.2', '::ffff:203.0.113.2'],
  ['2001:db8:1::1', '2001:db8:1::2', '2001:db8:1:0:ffff::9'],
  ['2001:db8:1:1::1'],
];

/** The numbers of a linear congruential generator, the same for the same seed. */
function chances(seed: number): (below: number) => number {
  let state = seed;
  return (below) => {
    state = (state * 1_103_515_245 + 12_345) % 2_147_483_648;
    return Math.floor((state / 2_147_483_648) * below);
  };
}

const kinds = (['builtin', 'nginx', 'nginx in crowds', 'httpd', 'haproxy'] as const).filter(
  (kind) => kind === 'nginx in crowds' || programOf(kind).limits.rate,
);

describe.each<HeldKind>(kinds)('%s', (kind) => {
  const mapText: MapText = ({ proxy, ports, echoes }) => {
    const to = `":${String(echoes[0]?.port)}"`;
    const rate = (road: Road): string => (roads[road] === null ? '' : `, rate: ${String(roads[road])}`);
    return `domains: [saltmarsh.example]
front:
  address: 127.0.0.1
  proxy: ${proxy}
  ports: {http: ${String(ports.http)}, https: ${String(ports.https)}}
  mark: 127.0.0.1:${String(ports.mark)}
  edge: {networks: 127.0.0.7/32}
gates: {near: {networks: [203.0.113.0/24, "2001:db8::/32"]}}
roads:
  one: {to: ${to}, gate: everyone${rate('one')}}
  few: {to: ${to}, gate: near${rate('few')}}
  some: {redirect: "https://www.example.org", gate: everyone${rate('some')}}
  parted: {to: ${to}, gate: everyone${rate('parted')}, paths: {/a: ${to}, /b: {redirect: /c}}}
  free: {to: ${to}, gate: everyone}
`;
  };

  test('each client has its own count at each road, and what is refused does not count', async () => {
    const front = await HeldFront.start(kind, mapText);
    try {
      expect(prepare(front.prepared.plan).plan.roads.map(({ rules }) => rules.rate)).toContainEqual({
        requests: 1,
        perSeconds: 60,
        burst: 2,
      });
      const chance = chances(20_261_130);
      const counts = new Map<string, number>();
      const [seen, meant]: [string[], string[]] = [[], []];
      for (let index = 0; index < 160; index += 1) {
        const road = Object.keys(roads)[chance(5)] as Road;
        const number = chance(clients.length);
        const addresses = clients[number] ?? [];
        const address = addresses[chance(addresses.length)] ?? '';
        const name = `${road}.saltmarsh.example`;
        const outcome = await front.send({
          what: name,
          host: [name],
          method: ['GET', 'HEAD', 'POST', 'DELETE'][chance(4)] ?? 'GET',
          target: ['/', '/a', '/b/x', '/?q=1', '/%2e'][chance(5)] ?? '/',
          version: (['1.0', '1.1', '2.0'] as const)[chance(3)] ?? '1.1',
          from: '127.0.0.7',
          headers: [['x-forwarded-for', address]],
        });
        const key = `${road} ${String(number)}`;
        const before = counts.get(key) ?? 0;
        const passes = before < most[road];
        if (passes) counts.set(key, before + 1);
        const what = `${String(index)} ${road} ${address}`;
        const status = outcome.kind === 'answer' ? outcome.status : 0;
        seen.push(`${what} ${status === 429 ? 'refused' : status >= 200 && status < 400 ? 'passes' : String(status)}`);
        meant.push(`${what} ${passes ? 'passes' : 'refused'}`);
      }
      expect(seen).toEqual(meant);
    } finally {
      await front.stop();
    }
  });
});
