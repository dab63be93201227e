import { card, tell } from '../../findings/card.ts';
import type { Finding } from '../../findings/finding.ts';
import { nearest } from '../../findings/nearest.ts';
import { partName } from '../../plan/parts.ts';
import { programOf, writtenPrograms } from '../../proxies/programs.ts';
import type { Facts, Rule } from '../rule.ts';

const nodes = card({
  id: 'front-node-unknown',
  severity: 'error',
  summary: 'A node of the front is not in the cluster.',
  why: 'The front would be on fewer nodes than the map says, and visitors of that address would reach nobody.',
  source: 'Engine API v1.41, NodeList: Description.Hostname',
  messages: {
    near: { message: 'The cluster has no node called {node}.', remedy: 'Did you mean {near}?' },
    far: { message: 'The cluster has no node called {node}.', remedy: 'Use one of: {known}.' },
  },
});

const away = card({
  id: 'front-node-away',
  severity: 'warning',
  summary: 'A node of the front does not answer the manager, or accepts no tasks.',
  why: 'Visitors who come to its address have to try the next one, as far as their programs do that.',
  source: 'Engine API v1.41, NodeList: Status.State, Spec.Availability',
  messages: {
    away: {
      message: 'The front’s node {node} does not answer the manager.',
      remedy: 'Check that the machine and its engine are up: docker node ls',
    },
    drained: {
      message: 'The front’s node {node} is drained: nothing runs on it.',
      remedy:
        'Bring it back: docker node update --availability active {node}. Or remove it from `front.nodes`, and its address from `front.address`.',
    },
  },
});

const cannot = card({
  id: 'front-not-for-cluster',
  severity: 'error',
  summary: 'A front on several nodes cannot do something that is on the map.',
  why: 'Each node has its own files. A file on this machine is missing on the others.',
  source: 'Compose file format 3.8, "configs" and "secrets"; RFC 8555 §8.3',
  messages: {
    builtin: {
      message: 'The builtin front is part of this program, which the cluster nodes do not have.',
      remedy: 'Write another proxy under `front`: {others}',
    },
    folder: {
      message: '`{road}` shows {folder} of this machine, which the nodes of the front do not have.',
      remedy: 'Serve it from a service of the cluster, and lead the road there: `to: SERVICE:PORT`.',
    },
    challenge: {
      message:
        'The certificate `{certificate}` uses the HTTP challenge, but the authority may ask any node of the front.',
      remedy: 'Use the DNS challenge: `challenge: dns` under `acme`, and `dns` in the map.',
    },
  },
});

const few = card({
  id: 'front-addresses-few',
  severity: 'note',
  summary: 'The front is on more nodes than it has public addresses.',
  why: 'Visitors try each address of a name. A node without an address gets no visitors, and a single address fails with its machine.',
  source: 'map reference, `front.address` and `front.nodes`',
  messages: {
    few: {
      message: 'The front is on {nodes} nodes, and has {addresses}.',
      remedy:
        'Name the address of each under `front.address`, then: mile-marker dns publish. If one address moves from node to node, this is fine.',
    },
  },
});

export const frontNodeUnknown: Rule = {
  card: nodes,
  check: (facts) => {
    const known = facts.inventory.nodes.map(({ name }) => name);
    if (known.length === 0) return [];
    return ofFront(facts)
      .filter((node) => !known.includes(node))
      .map((node) => {
        const near = nearest(node, known);
        const data = { node, near: near ?? '', known };
        return tell(nodes, { say: near === null ? 'far' : 'near', data, where: facts.plan.front.where, cause: node });
      });
  },
};

export const frontNodeAway: Rule = {
  card: away,
  check: (facts) => {
    const wanted = ofFront(facts);
    return facts.inventory.nodes.flatMap(({ name: node, state, availability }) => {
      const say = state !== 'ready' ? 'away' : availability === 'drain' ? 'drained' : null;
      if (say === null || !wanted.includes(node)) return [];
      return [tell(away, { say, data: { node }, where: facts.plan.front.where, cause: `front-node:${node}` })];
    });
  },
};

export const frontNotForCluster: Rule = {
  card: cannot,
  check: (facts) => {
    const { plan } = facts;
    const { where, proxy } = plan.front;
    if (plan.front.cluster === null) return [];
    const found: Finding[] = [];
    if (programOf(proxy).contained?.stop === null) {
      const able = writtenPrograms().filter(({ contained }) => (contained?.stop ?? null) !== null);
      const others = able.map(({ name }) => `proxy: ${name}`).join(', or ');
      found.push(tell(cannot, { say: 'builtin', data: { others }, where }));
    }
    for (const { display, name, parts } of plan.roads)
      for (const { leads, prefix, where: at } of parts)
        if (leads.kind === 'folder') {
          const data = { road: partName(display, prefix), folder: leads.path };
          found.push(tell(cannot, { say: 'folder', data, roads: [name], where: at }));
        }
    for (const { id, challenge } of plan.certificates)
      if (challenge === 'http')
        found.push(tell(cannot, { say: 'challenge', data: { certificate: id }, where, cause: `challenge:${id}` }));
    return found;
  },
};

export const frontAddressesFew: Rule = {
  card: few,
  check: (facts) => {
    const { addresses, names, where } = facts.plan.front;
    const count = ofFront(facts).length;
    // Of a name it is not known here how many addresses it has.
    const most = Math.max(
      addresses.filter((one) => !one.includes(':')).length,
      addresses.filter((one) => one.includes(':')).length,
    );
    if (names.length > 0 || most >= count) return [];
    const data = { nodes: count, addresses: most === 1 ? 'one address' : `${String(most)} addresses` };
    return [tell(few, { say: 'few', data, where })];
  },
};

function ofFront({ plan }: Pick<Facts, 'plan'>): readonly string[] {
  return plan.front.cluster?.nodes ?? [];
}
