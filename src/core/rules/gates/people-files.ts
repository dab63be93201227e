import { type GatePart, checkOf } from '../../gates/check.ts';
import { card, tell } from '../../findings/card.ts';
import type { Finding } from '../../findings/finding.ts';
import { checkMs, hashKind, isWeakKind, slowMs } from '../../people/hash-kinds.ts';
import type { PeopleFile } from '../../plan/files-of-map.ts';
import type { Plan } from '../../plan/plan.ts';
import { programOf } from '../../proxies/programs.ts';
import type { Facts, Rule } from '../rule.ts';
import { shellWord } from '../../shell-word.ts';

const words = card({
  id: 'people-file-faulty',
  severity: 'error',
  summary: 'The password file of a gate has a fault: it locks people out, or is too weak.',
  why: 'A proxy without a usable line refuses everybody and only logs it. Some servers compute the hash at each request and block meanwhile.',
  source: 'htpasswd(1); crypt(5)',
  messages: {
    missing: {
      message: 'The gate `{gate}` has people, but their file does not exist: {file}',
      remedy: 'Add somebody: mile-marker people add NAME --gate {gate}',
    },
    empty: {
      message: '{file} is empty, so the gate `{gate}` locks everyone out.',
      remedy: 'Add somebody: mile-marker people add NAME --gate {gate}',
    },
    unreadable: {
      message: 'The password file {file} cannot be read: {why}.',
      remedy: 'Run this as the user who owns it.',
    },
    barred: {
      message: '{proxy} (user {user}) cannot read {file} because of: {bars}.',
      remedy: 'Let only {user} read it: {commands}',
    },
    others: {
      message: '{file} can be read by others on this machine (mode {mode}).',
      remedy: 'Close it: {commands}',
    },
    beside: {
      message:
        '{file} is beside the map, in a folder with keys. A front in a container sees this one file, but not the one that replaces it.',
      remedy: 'Move it into a folder of its own, and write: `people: people/{name}`',
    },
    contained: {
      message:
        'The front runs in a container, where {proxy} reads {file} as a user of its own. With mode {mode} only its owner may, and every password is refused.',
      remedy:
        'Open it to the group that {proxy} has in there (docker exec {container} id {user}): chgrp GROUP {word} && chmod 640 {word}. Then try it: mile-marker verify --login FILE',
    },
    line: {
      message: '{file} line {line} is ignored: {why}.',
      remedy: 'Remove the line, or set the password again: mile-marker people add NAME --gate {gate}',
    },
    twice: {
      message: '{name} is twice in {file}. The first line counts, and line {line} does nothing.',
      remedy: 'Remove one of them.',
    },
    kind: {
      message: '{proxy} cannot check the password of {name} in {file}: its hash is {kind}.',
      remedy: 'Set it again: mile-marker people add {name} --gate {gate}',
    },
    weak: {
      message:
        'The hash of {name} in {file} is weak ({kind}): anyone who gets the file can crack the password quickly.',
      remedy: 'Set it again: mile-marker people add {name} --gate {gate}',
    },
    deadly: {
      message: '{proxy} crashes when it checks the password of {name}, which takes about {ms} ms.',
      remedy: 'Set it again: mile-marker people add {name} --gate {gate}',
    },
    slow: {
      message: 'Each request of {name} blocks {proxy} for about {ms} ms.',
      remedy: 'Set it again, with a cost that fits: mile-marker people add {name} --gate {gate}',
    },
  },
});

export const peopleFileFaulty: Rule = {
  card: words,
  check: ({ plan, files }) =>
    filesOnRoads(plan).flatMap((used) => {
      const found = files.people.get(used.file);
      return found === undefined ? [] : judge(used, found, { plan, files });
    }),
};

interface UsedFile {
  file: string;
  gate: GatePart;
  roads: string[];
}

function filesOnRoads({ roads }: Plan): UsedFile[] {
  const used = new Map<string, UsedFile>();
  for (const { name, gate } of roads) {
    for (const part of gate.parts) {
      const file = checkOf(part, 'people')?.file;
      if (file === undefined) continue;
      const before = used.get(file);
      if (before === undefined) used.set(file, { file, gate: part, roads: [name] });
      else before.roads.push(name);
    }
  }
  return [...used.values()];
}

function judge(
  { file, gate, roads }: UsedFile,
  found: PeopleFile,
  { plan, files }: Pick<Facts, 'plan' | 'files'>,
): Finding[] {
  const data = { file, gate: gate.name };
  const about = { roads, where: gate.where };
  if (found.state === 'missing') return [tell(words, { say: 'missing', data, ...about })];
  if (found.state === 'unreadable')
    return [tell(words, { say: 'unreadable', data: { ...data, why: found.why }, ...about })];
  const { people, bad } = found.file;
  const findings: Finding[] = [];
  const say = (
    message: keyof typeof words.messages,
    more: Record<string, string | number | string[]>,
    severity?: Finding['severity'],
  ): void => {
    const cause = `people:${file}:${message}:${String(more['name'] ?? more['line'] ?? '')}`;
    findings.push(
      tell(words, {
        say: message,
        data: { ...data, ...more },
        cause,
        ...(severity === undefined ? {} : { severity }),
        ...about,
      }),
    );
  };
  if (people.length === 0) say('empty', {});
  const [, parent = '', name = ''] = /^(.*)\/([^/]*)$/.exec(file) ?? [];
  if (plan.front.container !== null && files.mapFolder === parent) say('beside', { name }, 'warning');
  const { limits, title: proxy, userInImage } = programOf(plan.front.proxy);
  const isRead = limits.people === 'file';
  if (isRead && found.bars.length > 0)
    say('barred', {
      proxy,
      bars: found.bars,
      user: files.proxyUser ?? '',
      commands: opening(file, found.bars, files.proxyUser),
    });
  const { container } = plan.front;
  if (isRead && container !== null && userInImage !== null && (found.mode & 0o044) === 0)
    say(
      'contained',
      { proxy, user: userInImage, mode: found.mode.toString(8), container, word: shellWord(file) },
      'warning',
    );
  if ((found.mode & 0o007) !== 0)
    say(
      'others',
      { mode: found.mode.toString(8), commands: closing(file, isRead ? files.proxyUser : null) },
      'warning',
    );
  for (const { line, why, name } of bad) {
    if (why === 'twice') say('twice', { line, name }, 'warning');
    else say('line', { line, why: lineWords[why] }, 'warning');
  }
  for (const { name, hash } of people) {
    const kind = hashKind(hash);
    const ms = Math.round(checkMs(kind));
    if (!limits.hashes.includes(kind.id))
      say('kind', { name, proxy, kind: kind.id === 'unknown' ? 'no known kind' : kind.id });
    else if (!isRead && ms > deadlyMs) say('deadly', { name, ms, proxy });
    else if (isWeakKind(kind)) say('weak', { name, kind: kind.id }, 'warning');
    else if (ms >= slowMs && limits.hashesInLoop) say('slow', { name, ms, proxy }, 'warning');
  }
  return findings;
}

/** A server that hashes while it starts, and is watched by itself, ends before two seconds are over. */
const deadlyMs = 1000;

/** Lets the proxy's user read the file, and others no more than go through the folders above it. */
function opening(file: string, bars: readonly string[], user: string | null): string {
  const folders = bars.filter((path) => path !== file);
  return [...(folders.length === 0 ? [] : [`chmod o+x ${folders.map(shellWord).join(' ')}`]), closing(file, user)].join(
    ' && ',
  );
}

/** Takes it from others without taking it from the proxy, which may read as another user than its owner. */
function closing(file: string, user: string | null): string {
  const word = shellWord(file);
  return user === null ? `chmod o-rwx ${word}` : `chgrp "$(id -gn ${user})" ${word} && chmod 640 ${word}`;
}

const lineWords = {
  'no-colon': 'it has no colon',
  'no-name': 'it has no name before the colon',
  'no-hash': 'it has nothing behind the colon',
} as const;
