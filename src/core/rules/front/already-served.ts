import { card, tell } from '../../findings/card.ts';
import type { Finding } from '../../findings/finding.ts';
import type { Plan } from '../../plan/plan.ts';
import { withPort } from '../../networks/address.ts';
import { programOf } from '../../proxies/programs.ts';
import { shellWord } from '../../shell-word.ts';
import type { Rule } from '../rule.ts';

const alreadyServed = card({
  id: 'name-already-served',
  severity: 'error',
  summary: 'The installed server already serves a name of the map from another file.',
  why: 'If a name is defined twice, a server uses the first definition. The old site would keep answering.',
  source: 'RFC 9110 §7.2: the host asked for decides',
  messages: {
    served: {
      message: 'The installed {by} already serves {served} from another file: {places}.',
      remedy: 'Remove those definitions, or the roads from the map. Then: {reload}',
    },
    off: {
      message: 'The installed {by} already serves {served} from another file: {places}.',
      remedy:
        'To comment them out in the same step (`mile-marker undo front` restores them): mile-marker install {replace}',
    },
  },
});

const defaultTaken = card({
  id: 'default-server-taken',
  severity: 'error',
  summary: 'The installed server already has a default server on a port of the front.',
  why: 'A server does not start with two default servers. The existing one shows strangers its own page.',
  source: 'RFC 9110 §7.2: the host asked for decides',
  messages: {
    taken: {
      message: 'The installed {by} already has a default server on port {port}: {file}, line {line}.',
      remedy: 'Remove it{site}. Mile Marker’s files handle unknown names themselves.',
    },
    off: {
      message: 'The installed {by} already has a default server on port {port}: {file}, line {line}.',
      remedy:
        'Mile Marker’s files handle unknown names themselves. To comment it out in the same step (`mile-marker undo front` restores it): mile-marker install --replace {word}',
    },
    map: {
      message: 'Another map of yours answers strangers on port {port}, in the same {by}: {file}, line {line}.',
      remedy:
        'Two maps cannot share a port. Put their roads into one map, or give one of them ports of its own under `front.listen`.',
    },
    mark: {
      message: 'Another map of yours answers its mark on port {port}, in the same {by}: {file}, line {line}.',
      remedy: 'Write another port in this map, such as: `front.mark: {free}`',
    },
  },
});

const sharedIdentity = card({
  id: 'identity-shared',
  severity: 'error',
  summary: 'Another map in the same server has the identity of this one.',
  why: 'The identity is part of every written name. Two maps with the same identity overwrite each other, or the server refuses its configuration.',
  source: 'Mile Marker: the identity of a map',
  messages: {
    twin: {
      message:
        'Two maps have the identity {id} in the same {by}: {other} and {own}. One folder is a copy of the other.',
      remedy: 'In the folder that is the copy: mile-marker write --new-identity. Then: mile-marker install',
    },
  },
});

const notKnown = card({
  id: 'served-not-known',
  severity: 'note',
  summary: 'It is not known what the installed server serves already.',
  why: 'A forgotten definition of a name would keep answering instead of the new one.',
  source: 'map reference: `proxy`',
  messages: {
    reason: {
      message: '{by} does not show its configuration: {reason}',
      remedy: 'Run once as root, before you reload {by}: sudo mile-marker check',
    },
    own: {
      message: 'The installed {by} does not accept its configuration, because a file of this map is missing: {reason}',
      remedy: 'Write it again: {live}',
    },
    refuses: {
      message: 'The installed {by} does not accept its configuration: {reason}',
      remedy: 'Fix that first. Until then no reload has any effect, and the server will not start after a reboot.',
    },
  },
});

function reloadOf({ front }: Plan): string {
  return programOf(front.proxy).words.reload(front);
}

function defaultSiteOf({ front }: Plan): string {
  const words = programOf(front.proxy).hints['default-site'];
  return words === undefined ? '' : ` (${words})`;
}

function canSwitchOff({ front }: Plan): boolean {
  return front.container === null && programOf(front.proxy).switchOff !== null;
}

export const nameAlreadyServed: Rule = {
  card: alreadyServed,
  check: ({ plan, served }) => {
    const ours = [plan.front.listen.http, plan.front.listen.https];
    const blocks = (served?.blocks ?? []).filter(({ listens }) => listens.some((port) => ours.includes(port)));
    const found = blocks.flatMap(({ file, line, names, ofAnotherMap }) => {
      // `.NAME` stands for NAME itself and all below it. A wildcard loses against the exact names that are written, but not against the
      // pattern of all other names.
      const exact = names.flatMap((name) => (name.startsWith('.') ? [name.slice(1), `*${name}`] : [name]));
      const roads = plan.roads.filter(({ name }) => exact.includes(name));
      return roads.length === 0 ? [] : [{ roads, file, ofAnotherMap, place: `${file}, line ${String(line)}` }];
    });
    const roads = [...new Set(found.flatMap((one) => one.roads))];
    if (roads.length === 0) return [];
    const names = roads.map(({ name }) => name);
    const places = found.map(({ place }) => place);
    const replace = [...new Set(found.map(({ file }) => `--replace ${shellWord(file)}`))].join(' ');
    const data = { served: names, places, by: served?.by ?? '', reload: reloadOf(plan), replace };
    return [
      tell(alreadyServed, {
        // What another map has written is that map's to change.
        say: canSwitchOff(plan) && !found.some((one) => one.ofAnotherMap) ? 'off' : 'served',
        data,
        roads: names,
        where: roads[0]?.where ?? null,
        cause: 'already-served',
      }),
    ];
  },
};

export const defaultServerTaken: Rule = {
  card: defaultTaken,
  check: ({ plan, served }): Finding[] => {
    const ours = [plan.front.listen.http, plan.front.listen.https];
    const { mark } = plan.front;
    const marks = (served?.blocks ?? []).filter(
      ({ ofAnotherMap, isTwin, listens }) => ofAnotherMap && isTwin !== true && listens.includes(mark.port),
    );
    const taken = marks.map(({ file, line }) => {
      const data = { port: mark.port, file, line, by: served?.by ?? '', free: withPort(mark.address, mark.port + 1) };
      return tell(defaultTaken, { say: 'mark', data, where: plan.front.where, cause: `mark:${file}` });
    });
    const defaults = (served?.blocks ?? []).flatMap(({ file, line, defaultOn, ofAnotherMap, isTwin }) =>
      [...new Set(isTwin === true ? [] : defaultOn)]
        .filter((port) => ours.includes(port))
        .map((port) =>
          tell(defaultTaken, {
            say: ofAnotherMap ? 'map' : canSwitchOff(plan) ? 'off' : 'taken',
            data: { port, file, line, by: served?.by ?? '', site: defaultSiteOf(plan), word: shellWord(file) },
            where: plan.front.where,
            cause: `default-server:${String(port)}:${file}`,
          }),
        ),
    );
    return [...defaults, ...taken];
  },
};

export const identityShared: Rule = {
  card: sharedIdentity,
  check: ({ plan, served, files }) => {
    const twins = [...new Set((served?.blocks ?? []).flatMap(({ isTwin, file }) => (isTwin === true ? [file] : [])))];
    if (twins.length === 0) return [];
    const others = [...new Set(twins.map((file) => file.split('/.mile-marker/')[0] ?? file))];
    const data = { id: plan.identity, by: served?.by ?? '', other: others, own: files.mapFolder };
    return [tell(sharedIdentity, { say: 'twin', data, where: plan.front.where, cause: 'identity' })];
  },
};

export const servedNotKnown: Rule = {
  card: notKnown,
  check: ({ served, plan, files }) => {
    if (served === null || served.problem === null) return [];
    const isOwn = served.refuses && served.problem.includes(`${files.mapFolder}/.mile-marker/`);
    const severity = isOwn ? ('warning' as const) : ('error' as const);
    return [
      tell(notKnown, {
        say: isOwn ? 'own' : served.refuses ? 'refuses' : 'reason',
        ...(served.refuses ? { severity } : {}),
        data: { reason: served.problem, by: served.by },
        words: { live: programOf(plan.front.proxy).words.goLive(plan.front) },
        where: plan.front.where,
        cause: 'served-not-known',
      }),
    ];
  },
};
