import { card, tell } from '../../findings/card.ts';
import type { Finding, Place } from '../../findings/finding.ts';
import { nearest } from '../../findings/nearest.ts';
import { hostOf, portOf } from '../../names/web-url.ts';
import { isUnder } from '../../names/host-name.ts';
import { roadFinder } from '../../plan/wildcard-road.ts';
import { mainPart } from '../../plan/parts.ts';
import type { Plan } from '../../plan/plan.ts';
import type { Rule } from '../rule.ts';

const source = 'RFC 9110 §15.4: clients detect and refuse cyclical redirections';

const toItself = card({
  id: 'redirect-to-itself',
  severity: 'error',
  summary: 'A road redirects to its own name.',
  why: 'Browsers stop with "too many redirects".',
  source,
  messages: {
    itself: {
      message: '`{key}` redirects to {url}, which is this road itself.',
      remedy: 'Write the name that it should lead to, or `to:` with the service.',
    },
  },
});

const inCircle = card({
  id: 'redirect-circle',
  severity: 'error',
  summary: 'Several roads redirect to each other in a circle.',
  why: 'Browsers stop with "too many redirects".',
  source,
  messages: {
    circle: {
      message: 'These roads redirect to each other in a circle: {circle}.',
      remedy: 'Let one of them lead to a service with `to:`.',
    },
  },
});

const toNowhere = card({
  id: 'redirect-nowhere',
  severity: 'warning',
  summary: 'A road redirects to a name under your domains that is not on the map.',
  why: 'The front refuses names that are not on the map. Visitors get an error, unless another machine serves that name.',
  source: 'map reference: `unknown`',
  messages: {
    near: {
      message: '`{key}` redirects to {host}, which is not on the map.',
      remedy:
        'Did you mean {near}? If another machine serves {host}, write on the road: `meant-so: [redirect-nowhere]`',
    },
    far: {
      message: '`{key}` redirects to {host}, which is not on the map.',
      remedy:
        'Add a road for {host}, or correct the URL. If another machine serves it, write on the road: `meant-so: [redirect-nowhere]`',
    },
  },
});

/** A road that redirects as a whole. Parts that redirect lead from one path to another, which is no circle of names. */
interface Redirect {
  name: string;
  url: string;
  where: Place;
}

export const redirectToItself: Rule = {
  card: toItself,
  check: ({ plan }) => {
    const targetOf = targets(plan);
    return redirects(plan)
      .filter((road) => targetOf(road) === road.name)
      .map((road) => {
        const data = { key: road.name, url: road.url };
        return tell(toItself, { say: 'itself', data, roads: [road.name], where: road.where });
      });
  },
};

export const redirectCircle: Rule = {
  card: inCircle,
  check: ({ plan }) => {
    const targetOf = targets(plan);
    const next = new Map(redirects(plan).map((road) => [road.name, targetOf(road)]));
    const told = new Set<string>();
    return redirects(plan).flatMap((road) => {
      const circle = circleFrom(road.name, next);
      if (circle === null || circle.length < 2 || told.has(road.name)) return [];
      for (const name of circle) told.add(name);
      const data = { circle: [...circle, road.name].join(' -> ') };
      return [tell(inCircle, { say: 'circle', data, roads: circle, where: road.where })];
    });
  },
};

/** The circle that begins and ends at `start`, or null when following redirects from it does not come back to it. */
function circleFrom(start: string, next: ReadonlyMap<string, string | null>): string[] | null {
  const passed: string[] = [];
  let here: string | null | undefined = start;
  while (typeof here === 'string' && !passed.includes(here)) {
    passed.push(here);
    here = next.get(here);
  }
  return here === start ? passed : null;
}

export const redirectNowhere: Rule = {
  card: toNowhere,
  check: ({ plan }) => {
    const roadOf = roadFinder(plan.roads);
    return redirects(plan).flatMap((road) => nowhere(plan, road, roadOf));
  },
};

function nowhere(plan: Plan, road: Redirect, roadOf: ReturnType<typeof roadFinder>): Finding[] {
  const url = new URL(road.url);
  const host = hostOf(url);
  const names = plan.roads.map(({ name }) => name).filter((name) => name !== road.name);
  if (roadOf(host) !== null || !plan.domains.some((domain) => isUnder(host, domain)) || !atFront(plan, url)) return [];
  const near = nearest(host, names);
  const data = { key: road.name, host, near: near ?? '' };
  return [tell(toNowhere, { say: near === null ? 'far' : 'near', data, roads: [road.name], where: road.where })];
}

function redirects(plan: Plan): Redirect[] {
  return plan.roads.flatMap((road) => {
    const { leads, where } = mainPart(road);
    return leads.kind === 'redirect' ? [{ name: road.name, url: leads.url, where }] : [];
  });
}

/** Finds the road of this map that a redirect leads to; null when it leaves the map. */
function targets(plan: Plan): (road: Redirect) => string | null {
  const roadOf = roadFinder(plan.roads);
  return (road) => {
    const url = new URL(road.url);
    return atFront(plan, url) ? (roadOf(hostOf(url))?.name ?? null) : null;
  };
}

/** On another port something else may answer under the same name. */
function atFront({ front }: Plan, url: URL): boolean {
  return portOf(url) === (url.protocol === 'https:' ? front.ports.https : front.ports.http);
}
