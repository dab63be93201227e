import { card, tell } from '../../findings/card.ts';
import type { Finding } from '../../findings/finding.ts';
import { devicesIn, knownDevices, type DeviceLedger } from '../../devices/ledger.ts';
import { checkOf, type GatePart } from '../../gates/check.ts';
import type { Facts, Rule } from '../rule.ts';

const source = 'map reference: `gates`; RFC 5280 §5';

const faulty = card({
  id: 'devices-faulty',
  severity: 'error',
  summary: 'A gate lets devices pass, and something is wrong with them or their list.',
  why: 'A device whose certificate has ended is refused. Where the list of removed devices has ended or is missing, every device is.',
  source,
  messages: {
    missing: {
      message: 'The gate `{gate}` lets devices pass, but none was ever added.',
      remedy: 'Add one: mile-marker devices add phone --gate {gate}',
    },
    unreadable: {
      message: 'The devices of this map cannot be read: {why}.',
      remedy: 'Run this as the user who owns the map, or put the file back from a copy.',
    },
    none: {
      message: 'The gate `{gate}` lets devices pass, but none has a certificate that counts.',
      remedy: 'Add one: mile-marker devices add phone --gate {gate}',
    },
    named: {
      message: 'The gate `{gate}` names the device `{device}`, which has no certificate that counts.',
      remedy: 'Give it one: mile-marker devices add {device} --gate {gate}. Or take its name out of the gate.',
    },
    list: {
      message: 'The list of removed devices is not the one that was written last, so a removed device may still pass.',
      remedy: 'Write it again: mile-marker certs renew',
    },
    ends: {
      message: 'The list of removed devices ends on {day}. From then on every device is refused.',
      remedy: 'Write it again: mile-marker certs renew. To have this done in time: mile-marker install timers',
    },
    ending: {
      message: 'The certificate of the device `{device}` ends on {day}.',
      remedy: 'Make it a new one: mile-marker devices renew {device}',
    },
  },
});

const dayMs = 24 * 60 * 60 * 1000;
/** Soon enough to take a file to a phone. */
const soonDays = 30;

export const devicesFaulty: Rule = {
  card: faulty,
  check: ({ plan, files: { devices }, now: at }) => {
    const now = new Date(at);
    const parts = partsWithDevices(plan);
    const [first] = parts;
    if (first === undefined || devices === null) return [];
    const about = { roads: roadsOf(plan, parts), where: first.where };
    const data = { gate: first.name };
    if (devices.state === 'missing') return [tell(faulty, { say: 'missing', data, ...about })];
    if (devices.state === 'unreadable')
      return [tell(faulty, { say: 'unreadable', data: { ...data, why: devices.why }, ...about })];
    const { ledger, isListWritten } = devices;
    return [
      ...(isListWritten ? [] : [tell(faulty, { say: 'list', data, cause: 'devices:list', ...about })]),
      ...ofList(ledger, now, about),
      ...parts.flatMap((part) => ofPart(part, ledger, now, roadsOf(plan, [part]))),
      ...ending(ledger, now, about),
    ];
  },
};

type About = Pick<Finding, 'roads'> & { where: GatePart['where'] };

function partsWithDevices({ roads }: Facts['plan']): GatePart[] {
  const byName = new Map<string, GatePart>();
  for (const { gate } of roads)
    for (const part of gate.parts) if (checkOf(part, 'devices') !== null) byName.set(part.name, part);
  return [...byName.values()];
}

function roadsOf({ roads }: Facts['plan'], parts: readonly GatePart[]): string[] {
  const names = parts.map(({ name }) => name);
  return roads.flatMap(({ name, gate }) => (gate.parts.some((part) => names.includes(part.name)) ? [name] : []));
}

function ofList({ list }: DeviceLedger, now: Date, about: About): Finding[] {
  const left = new Date(list.ends).getTime() - now.getTime();
  if (left > 2 * soonDays * dayMs) return [];
  const severity = left > 0 ? ('warning' as const) : ('error' as const);
  return [
    tell(faulty, { say: 'ends', data: { day: list.ends.slice(0, 10) }, severity, cause: 'devices:ends', ...about }),
  ];
}

/** What a gate lacks: nobody passes it, or one device that it names does not. */
function ofPart(part: GatePart, ledger: DeviceLedger, now: Date, roads: string[]): Finding[] {
  const names = checkOf(part, 'devices')?.names ?? null;
  const known = knownDevices(ledger, now);
  const data = { gate: part.name };
  const about = { roads, where: part.where };
  if (names === null)
    return known.length > 0 ? [] : [tell(faulty, { say: 'none', data, cause: `devices:none:${part.name}`, ...about })];
  return names
    .filter((name) => !known.includes(name))
    .map((device) =>
      tell(faulty, {
        say: 'named',
        data: { ...data, device },
        severity: known.some((one) => names.includes(one)) ? 'warning' : 'error',
        cause: `devices:named:${device}`,
        ...about,
      }),
    );
}

function ending(ledger: DeviceLedger, now: Date, about: About): Finding[] {
  return devicesIn(ledger).flatMap(({ name, removed, ends }) => {
    const left = new Date(ends).getTime() - now.getTime();
    if (removed !== null || left <= 0 || left > soonDays * dayMs) return [];
    const data = { device: name, day: ends.slice(0, 10) };
    return [tell(faulty, { say: 'ending', data, severity: 'warning', cause: `devices:ending:${name}`, ...about })];
  });
}

const behind = card({
  id: 'devices-behind-edge',
  severity: 'error',
  summary: 'A gate asks for device certificates, but an edge stands in front of this front.',
  why: 'A device shows its certificate in the handshake, which ends at the edge. Nothing of it reaches this front.',
  source: 'RFC 8446 §4.4.2; map reference: `front.edge`',
  messages: {
    edge: {
      message: 'The gate `{gate}` asks for devices, but visitors come through an edge. No device passes.',
      remedy: 'Take `devices` out of the gate, or have visitors of these names come without the edge.',
    },
  },
});

export const devicesBehindEdge: Rule = {
  card: behind,
  check: ({ plan }) =>
    plan.front.edge === null
      ? []
      : partsWithDevices(plan).map((part) =>
          tell(behind, {
            say: 'edge',
            data: { gate: part.name },
            roads: roadsOf(plan, [part]),
            where: part.where,
          }),
        ),
};
