import type { Check, DevicesCheck, GatePart } from '../gates/check.ts';
import { without } from '../without.ts';
import type { Plan, PlannedPart } from '../plan/plan.ts';

/** By this header a rehearsal on loopback tells whose request it plays. */
export const toldHeader = 'X-Rehearsed-From';

/** @property dialled port of each stand-in, by where the front would dial @property certificates folder for pairs @property people file in place of each password file @property devices files in place of those of the map's authority */
interface Stage {
  http: number;
  https: number;
  mark: number;
  dialled: (host: string, port: number) => number;
  authority: string;
  certificates: string;
  people: (file: string) => string;
  devices: Pick<DevicesCheck, 'authority' | 'removed'>;
}

/** The plan of a front that does the same on free ports of loopback, with visitors' addresses told by a header: for where nothing can be sealed. */
export function onLoopback(plan: Plan, stage: Stage): Plan {
  const { http, https, mark, certificates } = stage;
  return {
    ...plan,
    front: {
      ...plan.front,
      listen: { addresses: ['127.0.0.1'], http, https },
      mark: { address: '127.0.0.1', port: mark },
      edge: { networks: ['127.0.0.1/32'], header: toldHeader.toLowerCase(), replaces: true, speaks: 'https' },
    },
    challenges: null,
    certificates: plan.certificates.map((one) => ({
      ...one,
      certificateFile: `${certificates}/${one.id}/current/certificate.pem`,
      keyFile: `${certificates}/${one.id}/current/key.pem`,
    })),
    roads: plan.roads.map((road) => ({
      ...road,
      rules: { ...road.rules, log: null },
      gate: { ...road.gate, parts: road.gate.parts.map((part) => gateOn(part, stage)) },
      parts: road.parts.map((part) => partOn(part, stage)),
    })),
  };
}

function gateOn(part: GatePart, { people, devices, dialled }: Stage): GatePart {
  const checkOn = (check: Check): Check => {
    if (check.kind === 'people') return { ...check, file: people(check.file) };
    if (check.kind === 'devices') return { ...check, ...devices };
    if (check.kind !== 'asks' || check.upstream === null) return check;
    const { host, port } = check.upstream;
    return { ...check, upstream: { ...check.upstream, host: '127.0.0.1', port: dialled(host, port), byName: false } };
  };
  return { ...part, checks: part.checks.map(checkOn) };
}

function partOn(part: PlannedPart, { dialled, authority }: Stage): PlannedPart {
  if (part.leads.kind !== 'service' || part.leads.upstream === null) return part;
  // One stand-in is enough here, and what stands elsewhere on loopback is real.
  const upstream = without(part.leads.upstream, 'others');
  const { trust } = upstream;
  const trusts = trust.kind === 'ca' || trust.kind === 'system' ? { kind: 'ca' as const, file: authority } : trust;
  const moved = { ...upstream, host: '127.0.0.1', port: dialled(upstream.host, upstream.port), byName: false };
  return {
    ...part,
    leads: { ...part.leads, upstream: { ...moved, trust: trusts, verifyAs: upstream.verifyAs ?? upstream.host } },
  };
}
