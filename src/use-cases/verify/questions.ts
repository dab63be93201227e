import type { LiveQuestion, LookQuestion } from '../../core/look/script.ts';
import { isWildcard } from '../../core/names/wildcard.ts';
import type { Plan, PlannedRoad } from '../../core/plan/plan.ts';
import { probeTarget, targetsOf } from '../../core/legs/targets.ts';

/** A name below the map's own domain that is not on the map; one that nobody can have (RFC 6761 §6.4) where every name is on it. */
export function strangeName({ domains, roads }: Plan): string {
  if (roads.some(({ display }) => isWildcard(display))) return 'nobody.invalid';
  const taken = new Set(roads.map(({ name }) => name));
  for (let count = 0; ; count += 1) {
    const name = `nobody${count === 0 ? '' : String(count)}.${domains[0] ?? 'invalid'}`;
    if (!taken.has(name)) return name;
  }
}

/** Live connections that the map expects. */
export function liveQuestions({ front }: Plan, roads: readonly PlannedRoad[]): LiveQuestion[] {
  return roads.flatMap(({ name, paused, rules: { expect } }) =>
    expect?.websocket === true && !paused ? [{ name, port: front.ports.https, target: expect.path }] : [],
  );
}

/** What `verify` asks of the front as any visitor may: what another machine can be asked to look at for it. */
export function lookQuestions(plan: Plan, roads: readonly PlannedRoad[]): LookQuestion[] {
  const { ports, addresses } = plan.front;
  const of = roads.flatMap((road): LookQuestion[] => {
    const targets = targetsOf(road);
    const common = { name: road.name, address: null };
    return [
      { ...common, scheme: 'http', port: ports.http, target: probeTarget },
      ...targets.map((target) => ({ ...common, scheme: 'https' as const, port: ports.https, target })),
    ];
  });
  const strangers = addresses.flatMap((address) =>
    (['https', 'http'] as const).map((scheme) => {
      const name = strangeName(plan);
      return { scheme, name, port: ports[scheme], target: '/', address };
    }),
  );
  return [...of, ...strangers];
}
