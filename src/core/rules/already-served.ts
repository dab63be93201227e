import { card, tell } from '../findings/card.ts';
import type { Finding } from '../findings/finding.ts';
import type { Rule } from './rule.ts';

const alreadyServed = card({
  id: 'name-already-served',
  severity: 'error',
  summary: 'The installed server already serves a name of the map from another file.',
  why: 'Of two definitions of one name nginx takes the one it reads first and says no more than a warning: the old site goes on answering.',
  source: 'nginx: "conflicting server name ... ignored"',
  messages: {
    served: {
      message: '{name} is already served by the installed nginx: {file}, line {line}.',
      remedy: 'Take that definition out (or the road off the map), then reload nginx.',
    },
  },
});

const defaultTaken = card({
  id: 'default-server-taken',
  severity: 'error',
  summary: 'The installed server already has a default server on a port of the front.',
  why: 'nginx does not start with two of them, and the one that is there shows strangers its own page.',
  source: 'nginx: "a duplicate default server for ..."',
  messages: {
    taken: {
      message: 'The installed nginx has a default server on port {port} already: {file}, line {line}.',
      remedy:
        'Take it out: on Debian, rm /etc/nginx/sites-enabled/default. The written files answer strangers themselves.',
    },
  },
});

const notKnown = card({
  id: 'served-not-known',
  severity: 'note',
  summary: 'It cannot be told what the installed server serves already.',
  why: 'A forgotten older definition of a name would go on answering in place of the written one.',
  source: 'nginx(8), option -T',
  messages: {
    reason: {
      message: 'nginx does not show its configuration: {reason}',
      remedy: 'Run check as root once, before you reload nginx.',
    },
  },
});

export const nameAlreadyServed: Rule = {
  card: alreadyServed,
  check: ({ plan, served }) =>
    served.blocks.flatMap(({ file, line, names, listens }) => {
      const ours = [plan.front.listen.http, plan.front.listen.https];
      if (!listens.some((port) => ours.includes(port))) return [];
      // `.NAME` stands for NAME itself and all below it. A wildcard loses against the exact names that are written, but not against the
      // pattern of all other names.
      const exact = names.flatMap((name) => (name.startsWith('.') ? [name.slice(1), `*${name}`] : [name]));
      return plan.roads
        .filter(({ name }) => exact.includes(name))
        .map(({ name, where }) =>
          tell(alreadyServed, {
            say: 'served',
            data: { name, file, line },
            roads: [name],
            where,
            cause: `served:${file}:${String(line)}:${name}`,
          }),
        );
    }),
};

export const defaultServerTaken: Rule = {
  card: defaultTaken,
  check: ({ plan, served }): Finding[] => {
    const ours = [plan.front.listen.http, plan.front.listen.https];
    return served.blocks.flatMap(({ file, line, defaultOn }) =>
      [...new Set(defaultOn)]
        .filter((port) => ours.includes(port))
        .map((port) =>
          tell(defaultTaken, {
            say: 'taken',
            data: { port, file, line },
            where: plan.front.where,
            cause: `default-server:${String(port)}:${file}`,
          }),
        ),
    );
  },
};

export const servedNotKnown: Rule = {
  card: notKnown,
  check: ({ served, plan }) =>
    served.problem === null
      ? []
      : [
          tell(notKnown, {
            say: 'reason',
            data: { reason: served.problem },
            where: plan.front.where,
            cause: 'served-not-known',
          }),
        ],
};
