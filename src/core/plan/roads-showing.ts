import type { Plan, PlannedRoad } from './plan.ts';

const made = new WeakMap<readonly PlannedRoad[], ReadonlyMap<string, PlannedRoad[]>>();

/** The roads that show a certificate, in the order of the map. */
export function roadsShowing({ roads }: Pick<Plan, 'roads'>, certificate: string): readonly PlannedRoad[] {
  let byCertificate = made.get(roads);
  if (byCertificate === undefined) {
    const grouped = new Map<string, PlannedRoad[]>();
    for (const road of roads) {
      const own = grouped.get(road.certificate);
      if (own === undefined) grouped.set(road.certificate, [road]);
      else own.push(road);
    }
    byCertificate = grouped;
    made.set(roads, byCertificate);
  }
  return byCertificate.get(certificate) ?? [];
}
