import fc from 'fast-check';
import { HeldFront, type HeldKind, type MapText, heldKinds } from './support/held-against-verdict.ts';
import { differs, requestsOf, scene, serve, smallest, type Scene } from './support/random-maps.ts';

type Asked = Parameters<typeof differs>[1];

async function firstWrong(kind: HeldKind, one: Scene, asked: readonly Asked[]): Promise<Asked | undefined> {
  const front = await serve(kind, one);
  try {
    for (const request of asked) if ((await differs(front, request)).length > 0) return request;
    return undefined;
  } finally {
    await front.stop();
  }
}

/**
 * The proof that a map means the same on every proxy: random maps and requests, ordinary and hostile, each held against the verdict. Here a seeded part of it;
 * `npm run prove` runs all, with a seed of its own.
 */

const seed = Number(process.env['PROVE_SEED'] ?? 20_261_129);
const fronts = Number(process.env['PROVE_FRONTS'] ?? 1);
const requests = Number(process.env['PROVE_REQUESTS'] ?? 1000);

test.each<HeldKind>(heldKinds)(
  '%s does what the verdict says, for random maps and requests',
  async (kind) => {
    for (let number = 0; number < fronts; number += 1) {
      const own = seed + number;
      const [[one, asked] = []] = fc.sample(fc.tuple(scene, requestsOf(requests)), { seed: own, numRuns: 1 });
      if (one === undefined || asked === undefined) throw new Error('nothing was made');
      const wrong = await firstWrong(kind, one, asked);
      if (wrong === undefined) continue;
      const [least, request] = await smallest(kind, one, wrong);
      const again = await serve(kind, least);
      const found = await differs(again, request);
      await again.stop();
      throw new Error(
        `seed ${String(own)}: ${JSON.stringify(found.length > 0 ? found : 'not when it was asked again')}\n${JSON.stringify(least)}\n${JSON.stringify(request)}`,
      );
    }
  },
  60_000 + fronts * (30_000 + requests * 100),
);

const threeNames = ['a', 'b', 'c-c'];

test.each<HeldKind>(['nginx in crowds', 'haproxy in crowds'])(
  '%s: each name leads to its own service, also under the name of another',
  async (kind) => {
    const alike: MapText = ({ proxy, ports: { http, https, mark }, echoes }) =>
      JSON.stringify({
        domains: ['saltmarsh.example'],
        front: { address: '127.0.0.1', proxy, ports: { http, https }, mark: `127.0.0.1:${String(mark)}` },
        certificates: { marsh: { names: ['saltmarsh.example'], wildcard: true } },
        roads: Object.fromEntries(
          echoes.map(({ port }, index) => [threeNames[index] ?? '', { to: `:${String(port)}`, gate: 'everyone' }]),
        ) as object,
      });
    const front = await HeldFront.start(kind, alike);
    try {
      for (const name of threeNames)
        for (const sni of threeNames)
          await front.holds({
            what: `${name} by ${sni}`,
            host: [`${name}.saltmarsh.example`],
            sni: `${sni}.saltmarsh.example`,
          });
    } finally {
      await front.stop();
    }
  },
);
