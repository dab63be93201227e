import { card, tell } from '../../findings/card.ts';
import { isPublic } from '../../certificates/is-public.ts';
import type { Rule } from '../rule.ts';
import { indexed } from '../../indexed.ts';

const locks = card({
  id: 'hsts-locks-out',
  severity: 'error',
  summary: 'A road tells browsers to use only HTTPS, but HTTPS does not work there.',
  why: 'Once a browser has read it, it uses only HTTPS for this name and accepts no untrusted certificate until the time is over.',
  source: 'RFC 6797 §8.3 and §8.4',
  messages: {
    plain: {
      message: '`{key}` is also served on plain HTTP, but `hsts` forbids browsers to use it.',
      remedy: 'Write `hsts: off`, or remove `plain`.',
    },
    port: {
      message:
        '`{key}` sends `hsts`, but visitors see HTTPS on port {port}. Browsers would try http://{name} as https://{name}, where this front is not.',
      remedy: 'Write `hsts: off`, or give HTTPS the outside port 443.',
    },
    practice: {
      message:
        '`{key}` sends `hsts`, but browsers do not trust its certificate, and nobody could click the warning away.',
      remedy: 'Remove `hsts` until the certificate is real.',
    },
  },
});

export const hstsLocksOut: Rule = {
  card: locks,
  check: ({ map, plan }) =>
    plan.roads.flatMap(({ name, rules, certificate, where }) => {
      const key = indexed(map.roads, 'name').get(name)?.key ?? name;
      if (rules.hsts === null || rules.hsts === 0) return [];
      const about = { roads: [name], where };
      const { https: port } = plan.front.ports;
      if (rules.plain) return [tell(locks, { say: 'plain', data: { key }, ...about })];
      if (port !== 443) return [tell(locks, { say: 'port', data: { key, port, name }, ...about })];
      const shown = indexed(plan.certificates, 'id').get(certificate);
      if (isPublic(map, shown)) return [];
      return [tell(locks, { say: 'practice', data: { key }, severity: 'warning', ...about })];
    }),
};

const remembered = card({
  id: 'hsts-remembered',
  severity: 'warning',
  summary: 'Browsers remember HSTS for a name, but the map no longer has it.',
  why: 'A browser forgets HSTS only when its time is over, or when it gets max-age=0 over HTTPS with a valid certificate.',
  source: 'RFC 6797 §6.1.1 and §8.1',
  messages: {
    stands: {
      message:
        'Browsers that visited {name} may require HTTPS with a valid certificate until {until}, but the road {now}.',
      remedy: 'First set `hsts: forget` for a while, with a valid certificate.',
    },
  },
});

export const hstsRemembered: Rule = {
  card: remembered,
  check: ({ map, plan, hsts, now }) =>
    plan.roads.flatMap((road) => {
      const until = hsts.get(road.name) ?? 0;
      if (until <= now || road.rules.hsts !== null) return [];
      const shown = indexed(plan.certificates, 'id').get(road.certificate);
      const why = road.rules.plain
        ? 'is now served on plain HTTP too'
        : plan.front.ports.https !== 443
          ? 'is now on another port'
          : isPublic(map, shown)
            ? null
            : 'now shows a certificate for practice';
      if (why === null) return [];
      const data = { name: road.name, until: new Date(until).toISOString().slice(0, 10), now: why };
      return [tell(remembered, { say: 'stands', data, roads: [road.name], where: road.where })];
    }),
};
