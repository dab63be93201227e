import { asksFor, checkOf } from '../../gates/check.ts';
import { card, tell } from '../../findings/card.ts';
import { programOf } from '../../proxies/programs.ts';
import { overlap } from '../../networks/covering.ts';
import { isLoopback } from '../../networks/address.ts';
import type { Rule } from '../rule.ts';

const circle = card({
  id: 'edge-redirect-loop',
  severity: 'error',
  summary: 'The edge speaks plain HTTP to the front, and the front sends plain HTTP to HTTPS.',
  why: 'The edge asks the front over plain HTTP, and the front sends the visitor to HTTPS, which leads to the edge again. Browsers stop with "too many redirects".',
  source: 'RFC 9110 §15.4',
  messages: {
    circle: {
      message: 'With `speaks: http`, visitors of {names} end in a redirect loop.',
      remedy:
        'Set the edge to speak HTTPS to your front and to check its certificate, then write in the map: speaks: https',
    },
  },
});

export const edgeRedirectLoop: Rule = {
  card: circle,
  check: ({ plan }) => {
    const { edge, where } = plan.front;
    const roads = plan.roads.filter(({ paused }) => !paused).map(({ name }) => name);
    if (edge?.speaks !== 'http' || roads.length === 0) return [];
    const shown =
      roads.length > 4 ? `${roads.slice(0, 4).join(', ')} and ${String(roads.length - 4)} more` : roads.join(', ');
    return [tell(circle, { say: 'circle', data: { names: shown }, roads, where, cause: 'edge:http' })];
  },
};

const appended = card({
  id: 'edge-header-appended',
  severity: 'error',
  summary: "The proxy reads only the first line of the edge's header, which a stranger may have written.",
  why: 'If the edge adds its own line, the visitor’s line stays before it. A proxy that reads only the first line believes the visitor. Then anyone can claim an address that a gate lets in.',
  source: 'RFC 9110 §5.3',
  messages: {
    first: {
      message:
        "{proxy} reads only the first line of `{header}`. If the edge adds its own line, {proxy} believes the visitor's.",
      remedy:
        'Set the edge to replace the header, never to add to it, and write under `front.edge` in the map: replaces-header: true. If it can only add, let it send X-Forwarded-For, and write: address-header: X-Forwarded-For',
    },
  },
});

export const edgeHeaderAppended: Rule = {
  card: appended,
  check: ({ plan }) => {
    const { edge, where, proxy } = plan.front;
    const { limits, title } = programOf(proxy);
    if (edge === null || edge.replaces || limits.readsEveryLine || edge.header === 'x-forwarded-for') return [];
    const data = { proxy: title, header: edge.header };
    return [tell(appended, { say: 'first', data, roads: [], where, cause: 'edge:header' })];
  },
};

const wide = card({
  id: 'edge-holds-visitors',
  severity: 'warning',
  summary: "The edge's networks contain a network that a gate lets in.",
  why: 'For a connection from these networks, only the edge can name the visitor. Somebody there who connects directly has no known address, so gates for networks refuse him.',
  source: 'RFC 7239 §8.1',
  messages: {
    holds: {
      message:
        '`front.edge.networks` has {network}, and `{gate}` lets in {inside}. Direct connections from there are refused.',
      remedy: 'Write only the addresses that the edge itself connects from, such as {one}.',
    },
  },
});

export const edgeHoldsVisitors: Rule = {
  card: wide,
  check: ({ plan }) => {
    const { edge, where } = plan.front;
    const roads = plan.roads.filter(({ gate }) => asksFor(gate, 'networks'));
    const gates = roads.flatMap(({ gate }) => gate.parts);
    for (const network of (edge?.networks ?? []).filter(isWide)) {
      const part = gates.find((one) => heldBy(network, checkOf(one, 'networks')?.networks ?? []) !== undefined);
      if (part === undefined) continue;
      const own = roads.filter(({ gate }) => gate.parts.some(({ name }) => name === part.name));
      const inside = heldBy(network, checkOf(part, 'networks')?.networks ?? []) ?? '';
      const data = { network, gate: part.name, inside, one: oneIn(network) };
      return [tell(wide, { say: 'holds', data, roads: own.map(({ name }) => name), where, cause: 'edge:networks' })];
    }
    return [];
  },
};

/** More than one address, and not this machine alone. */
function isWide(network: string): boolean {
  const [base = '', bits] = network.split('/');
  return !isLoopback(base) && bits !== (base.includes(':') ? '128' : '32');
}

function heldBy(network: string, networks: readonly string[]): string | undefined {
  return networks.find((one) => !one.endsWith('/0') && overlap(one, network));
}

function oneIn(network: string): string {
  const [base = ''] = network.split('/');
  return `${base.replace(/[^.:]*$/, '')}2/${base.includes(':') ? '128' : '32'}`;
}
