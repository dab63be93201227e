import type { LiveQuestion, LookQuestion } from '../../../core/look/script.ts';
import { isWildcard } from '../../../core/names/wildcard.ts';
import type { Plan, PlannedRoad } from '../../../core/plan/plan.ts';
import { authorityOn } from '../../../core/verdict/forwarded.ts';
import { probeTarget, targetsOf } from '../../../core/legs/targets.ts';

/** A name below the map's own domain that is not on the map; one that nobody can have (RFC 6761 §6.4) where every name is on it. */
export function strangeName({ domains, roads }: Plan): string {
  if (roads.some(({ display }) => isWildcard(display))) return 'nobody.invalid';
  const taken = new Set(roads.map(({ name }) => name));
  for (let count = 0; ; count += 1) {
    const name = `nobody${count === 0 ? '' : String(count)}.${domains[0] ?? 'invalid'}`;
    if (!taken.has(name)) return name;
  }
}

/** Where another machine is to ask: at one address, or where its resolver leads it. */
type Place = { address: string; httpPort: number; httpsPort: number } | null;

/** Live connections that the map expects. */
export function liveQuestions({ front }: Plan, roads: readonly PlannedRoad[], at: Place): LiveQuestion[] {
  const port = at?.httpsPort ?? front.ports.https;
  const address = at?.address ?? null;
  return roads.flatMap(({ name, authority, paused, rules: { expect } }) =>
    expect?.websocket === true && !paused ? [{ name, port, target: expect.path, host: authority, address }] : [],
  );
}

/** Handshakes of every road. */
export function shakeQuestions({ front }: Plan, roads: readonly PlannedRoad[], at: Place): LiveQuestion[] {
  const port = at?.httpsPort ?? front.ports.https;
  return roads.map(({ name, authority }) => ({
    name,
    port,
    target: '/',
    host: authority,
    address: at?.address ?? null,
  }));
}

/** What `verify` asks of the front as any visitor may: what another machine can be asked to look at for it. */
export function lookQuestions(plan: Plan, roads: readonly PlannedRoad[], at: Place): LookQuestion[] {
  const { ports, addresses } = plan.front;
  const place = { http: at?.httpPort ?? ports.http, https: at?.httpsPort ?? ports.https };
  const of = roads.flatMap((road): LookQuestion[] => {
    const targets = targetsOf(road);
    const common = { name: road.name, address: at?.address ?? null };
    const host = (scheme: 'http' | 'https'): string | null =>
      place[scheme] === ports[scheme] ? null : authorityOn(road, scheme, ports);
    return [
      { ...common, scheme: 'http', port: place.http, target: probeTarget, host: host('http') },
      ...targets.map((target) => ({
        ...common,
        scheme: 'https' as const,
        port: place.https,
        target,
        host: host('https'),
      })),
    ];
  });
  const strangers = (at === null ? addresses : [at.address]).flatMap((address) =>
    (['https', 'http'] as const).map((scheme) => {
      const name = strangeName(plan);
      return { scheme, name, port: place[scheme], target: '/', address, host: null };
    }),
  );
  return [...of, ...strangers];
}
