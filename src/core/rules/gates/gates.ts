import { type GatePart, type NetworksCheck, checkOf } from '../../gates/check.ts';
import { isWithin } from '../../gates/networks.ts';
import { card, tell } from '../../findings/card.ts';
import { overlap } from '../../networks/covering.ts';
import type { PlannedRoad } from '../../plan/plan.ts';
import type { Rule } from '../rule.ts';

const source = 'map reference: `gates`';

const open = card({
  id: 'gate-open-to-everybody',
  severity: 'warning',
  summary: 'A gate lets everybody pass, although it looks like a restriction.',
  why: 'You would rely on a restriction that does not exist.',
  source,
  messages: {
    networks: {
      message: 'The gate `{gate}` lets in {network}, which is the whole internet.',
      remedy: 'Write the right networks. To let everybody in, write `gate: everyone`.',
    },
    any: {
      message: 'The gate `{gate}` lets in {network} without a password, because one of the two is enough.',
      remedy: 'Write `need: all`, or remove the network.',
    },
    except: {
      message: 'The gate `{gate}` excepts `/`, which is every path.',
      remedy: 'Write the right paths, or `gate: everyone`.',
    },
  },
});

export const gateOpenToEverybody: Rule = {
  card: open,
  check: ({ map }) =>
    map.gates.flatMap(({ name: gate, checks, need, except, where }) => {
      const roads = [...map.roads, ...map.ports].filter(({ gates }) => gates.includes(gate)).map(({ name }) => name);
      const about = { roads, where };
      const networks = checkOf({ checks }, 'networks')?.networks;
      const whole = networks?.find((network) => network.endsWith('/0'));
      const isAlone = checks.length === 1;
      const loose = whole !== undefined && (isAlone || need === 'any');
      return [
        ...(loose ? [tell(open, { say: isAlone ? 'networks' : 'any', data: { gate, network: whole }, ...about })] : []),
        ...(except.includes('/')
          ? [tell(open, { say: 'except', data: { gate }, cause: `gate-except:${gate}`, ...about })]
          : []),
      ];
    }),
};

const idle = card({
  id: 'gate-without-effect',
  severity: 'warning',
  summary: 'A gate has no effect.',
  why: 'All gates of a list must let a visitor pass. A gate that is wider than another one has no effect.',
  source,
  messages: {
    everyone: {
      message: '`{road}` has the gate `everyone` together with {others}, so `everyone` has no effect.',
      remedy: 'Remove `everyone`. If one of several rules should be enough, write one gate with `need: any`.',
    },
    shadowed: {
      message: '`{road}` has the gates `{gate}` and `{by}`. `{by}` is stricter, so `{gate}` has no effect.',
      remedy: 'Keep only `{by}`.',
    },
    unused: {
      message: 'No road and no raw port has the gate `{gate}`.',
      remedy: 'Give it to one (`gate: {gate}`), or remove it.',
    },
  },
});

export const gateWithoutEffect: Rule = {
  card: idle,
  check: ({ map, plan }) => [
    ...map.roads.flatMap(({ key: road, name, gates, where }) => {
      if (!gates.includes('everyone') || gates.length < 2) return [];
      const others = gates.filter((gate) => gate !== 'everyone').map((gate) => `\`${gate}\``);
      return [tell(idle, { say: 'everyone', data: { road, others }, roads: [name], where })];
    }),
    ...plan.roads.flatMap((road) =>
      shadowed(road).map(({ gate, by }) =>
        tell(idle, { say: 'shadowed', data: { road: road.display, gate, by }, roads: [road.name], where: road.where }),
      ),
    ),
    ...map.gates.flatMap(({ name: gate, where }) =>
      [...map.roads, ...map.ports].some(({ gates }) => gates.includes(gate))
        ? []
        : [tell(idle, { say: 'unused', data: { gate }, severity: 'note', where })],
    ),
  ],
};

/** Gates of networks alone whose visitors are all let in by another, wider one of the same list. */
function shadowed({ gate }: PlannedRoad): Array<{ gate: string; by: string }> {
  const parts = gate.parts.flatMap(networksAlone);
  return parts.flatMap((wide) => {
    const narrow = parts.find(
      (other) =>
        other !== wide &&
        isWithin(other.networks, wide.networks) &&
        !(isWithin(wide.networks, other.networks) && parts.indexOf(other) > parts.indexOf(wide)),
    );
    return narrow === undefined ? [] : [{ gate: wide.name, by: narrow.name }];
  });
}

interface NetworksPart {
  name: string;
  networks: NetworksCheck;
}

function networksAlone({ name, checks, except }: GatePart): NetworksPart[] {
  const [networks] = checks;
  return checks.length === 1 && networks?.kind === 'networks' && except.length === 0 ? [{ name, networks }] : [];
}

const nobody = card({
  id: 'gate-nobody-passes',
  severity: 'error',
  summary: 'No visitor can pass all gates of a road.',
  why: 'All gates of a list must let a visitor in, but these networks have no address in common.',
  source,
  messages: {
    apart: {
      message:
        '`{road}` has the gates `{first}` and `{second}`, whose networks have no address in common. Nobody passes.',
      remedy: 'Put the networks of both into one gate. A visitor then needs to be in one of them.',
    },
  },
});

export const gateNobodyPasses: Rule = {
  card: nobody,
  check: ({ plan }) =>
    [...plan.roads, ...plan.ports].flatMap((road) => {
      const parts = road.gate.parts.flatMap(networksAlone);
      for (const [index, first] of parts.entries()) {
        const second = parts.slice(index + 1).find((other) => areApart(first, other));
        if (second === undefined) continue;
        const display = 'display' in road ? road.display : road.name;
        const data = { road: display, first: first.name, second: second.name };
        return [tell(nobody, { say: 'apart', data, roads: [road.name], where: road.where })];
      }
      return [];
    }),
};

function areApart(a: NetworksPart, b: NetworksPart): boolean {
  return !a.networks.networks.some((one) => b.networks.networks.some((other) => overlap(one, other)));
}
