import { card, tell } from '../../findings/card.ts';
import type { Finding } from '../../findings/finding.ts';
import { checkOf, checksOf } from '../../gates/check.ts';
import { splitAsked } from '../../gates/asks.ts';
import { parseTo } from '../../map/leads.ts';
import type { Plan, PlannedRoad } from '../../plan/plan.ts';
import { resolveService } from '../../plan/resolve-service.ts';
import type { Upstream } from '../../plan/upstream.ts';
import { whyNot } from '../../plan/why-not.ts';
import type { Facts, Rule } from '../rule.ts';

const source = 'map reference: `gates`';

const lost = card({
  id: 'gate-asks-nobody',
  severity: 'error',
  summary: 'It is not known where the service is that a gate asks.',
  why: 'Silence lets nobody in: every visitor gets 503.',
  source,
  messages: {
    unknown: {
      message: 'The gate `{gate}` asks {said}: {why}.',
      remedy: 'Correct `asks`. See what runs, and its ports: mile-marker survey',
    },
  },
});

/** The service of each gate that asks one is looked for as that of a road. */
export const gateAsksNobody: Rule = {
  card: lost,
  check: ({ map, plan, inventory, front }) =>
    map.gates.flatMap((gate): Finding[] => {
      const check = checkOf(gate, 'asks');
      const isPlaced = asked(plan, gate.name)?.upstream ?? null;
      if (check === null || isPlaced !== null) return [];
      const roads = map.roads.filter(({ gates }) => gates.includes(gate.name)).map(({ name }) => name);
      const read = parseTo(splitAsked(check.said).to);
      if (roads.length === 0 || !read.ok || read.leads.kind === 'redirect' || read.leads.kind === 'folder') return [];
      const why = whyNot(resolveService(read.leads, { inventory, front })) ?? 'its address is not known';
      return [
        tell(lost, { say: 'unknown', data: { gate: gate.name, said: check.said, why }, roads, where: gate.where }),
      ];
    }),
};

function asked({ roads }: Plan, gate: string): ReturnType<typeof checkOf<'asks'>> {
  const part = roads.flatMap((road) => road.gate.parts).find(({ name }) => name === gate);
  return part === undefined ? null : checkOf(part, 'asks');
}

const circle = card({
  id: 'gate-asks-itself',
  severity: 'error',
  summary: 'The service that a gate asks is behind that gate itself.',
  why: 'Visitors are sent there to sign in, and are not let in to do so.',
  source,
  messages: {
    road: {
      message: '`{road}` leads to the service that its gate `{gate}` asks ({said}).',
      remedy: 'Open the road of the sign-in service, which has its own login: mile-marker set {short} gate everyone',
    },
  },
});

export const gateAsksItself: Rule = {
  card: circle,
  check: ({ plan }: Pick<Facts, 'plan'>) =>
    plan.roads.flatMap((road) =>
      checksOf(road.gate, 'asks').flatMap(({ said, upstream }): Finding[] => {
        if (upstream === null || !leadsTo(road, upstream)) return [];
        const gate = road.gate.parts.find((part) => checkOf(part, 'asks')?.said === said)?.name ?? '';
        const data = { road: road.display, gate, said, short: road.name };
        return [tell(circle, { say: 'road', data, roads: [road.name], where: road.where })];
      }),
    ),
};

function leadsTo({ parts }: PlannedRoad, { host, port }: Upstream): boolean {
  return parts.some(
    ({ leads }) => leads.kind === 'service' && leads.upstream?.host === host && leads.upstream.port === port,
  );
}
