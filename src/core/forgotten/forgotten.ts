import { checkOf } from '../gates/check.ts';
import { card, tell } from '../findings/card.ts';
import type { Finding } from '../findings/finding.ts';
import type { Plan, PlannedRoad } from '../plan/plan.ts';
import type { LogTold } from './log.ts';
import { shellWord } from '../shell-word.ts';
import { isOpen, type Since } from './since.ts';

const source = 'Mile Marker: the journal of what was open, and the logs of roads';

const open = card({
  id: 'open-for-long',
  severity: 'note',
  summary: 'Roads have been open to everyone for a month or longer.',
  why: 'A road that was opened for a day is easily forgotten.',
  source,
  messages: {
    open: {
      message: 'Open to everyone for a month or longer: {roads}.',
      remedy:
        'To close one: mile-marker set ROAD gate home. If it is on purpose: `meant-so: [open-for-long]` on its road.',
    },
  },
});

const paused = card({
  id: 'paused-for-long',
  severity: 'note',
  summary: 'A road has been paused for a month or longer.',
  why: 'Its visitors get 503, and its name and certificate are still maintained.',
  source,
  messages: {
    paused: {
      message: '{road} has been paused since {since}.',
      remedy: 'Switch it on again: mile-marker resume {road}. If nobody needs it: mile-marker remove {road}',
    },
  },
});

const unvisited = card({
  id: 'road-without-visitors',
  severity: 'note',
  summary: 'A road has had no visitors for a month or longer.',
  why: 'A service that nobody uses is only a risk.',
  source,
  messages: {
    nobody: {
      message: '{road} has had no visitors since {since}, according to its log.',
      remedy: 'If nobody needs it: mile-marker pause {road}',
    },
  },
});

const unseen = card({
  id: 'person-never-seen',
  severity: 'note',
  summary: 'People of a gate have logged in on none of its roads for a month or longer.',
  why: 'Nobody notices when an unused password is stolen.',
  source,
  messages: {
    unseen: {
      message: 'Nobody logged in at the gate `{gate}` as {people} since {since}.',
      remedy: 'To remove a person: mile-marker people remove NAME --gate {gate}',
    },
  },
});

const unused = card({
  id: 'certificate-unused',
  severity: 'note',
  summary: 'Certificates with their keys lie beside the map, and no road uses them.',
  why: 'An unused key is only a risk.',
  source: 'map reference, `certificates`',
  messages: {
    unused: {
      message: 'No road uses these certificates: {certificates}.',
      remedy: 'If no other program uses them, remove their folders: {folders}',
    },
  },
});

export const forgottenCards = [open, paused, unvisited, unseen, unused];

/**
 * @property since since when roads are open or paused, as far as it was noted
 * @property logs what the log of a road tells, for roads that have one
 * @property people names in each password file that has not changed for a month: of others nobody knows who is new
 * @property unused paths of folders of certificates that the plan does not have
 * @property now milliseconds since the epoch
 */
interface ForgottenFacts {
  plan: Plan;
  since: ReadonlyMap<string, Since>;
  logs: ReadonlyMap<string, LogTold>;
  people: ReadonlyMap<string, readonly string[]>;
  unused: readonly string[];
  now: number;
}

const month = 30 * 86_400_000;

const day = (time: number): string => new Date(time).toISOString().slice(0, 10);

/** What has stood open, unused or half done for so long that nobody may remember it. */
export function forgotten(facts: ForgottenFacts): Finding[] {
  const { plan, unused: folders } = facts;
  const isMeant = ({ rules }: PlannedRoad, id: string): boolean => rules.meantSo.includes(id);
  const found = plan.roads.flatMap((road) => [
    ...(isMeant(road, paused.id) ? [] : pausedLong(road, facts)),
    ...(isMeant(road, unvisited.id) ? [] : withoutVisitors(road, facts)),
  ]);
  const openLong = plan.roads.filter((road) => !isMeant(road, open.id) && isOpenLong(road, facts));
  if (openLong.length > 0) {
    const roads = openLong.map(({ name }) => name);
    const data = { roads: openLong.map(({ name }) => `${name} since ${day(facts.since.get(name)?.open ?? 0)}`) };
    found.unshift(tell(open, { say: 'open', data, roads, where: openLong[0]?.where ?? null, cause: 'open-for-long' }));
  }
  if (folders.length > 0) {
    const certificates = folders.map((path) => path.slice(path.lastIndexOf('/') + 1));
    const data = { certificates, folders: folders.map(shellWord).join(' ') };
    found.push(tell(unused, { say: 'unused', data, where: null }));
  }
  return [...found, ...neverSeen(facts)];
}

function isOpenLong(road: PlannedRoad, { since, now }: ForgottenFacts): boolean {
  const from = since.get(road.name)?.open ?? null;
  const isRedirect = road.parts.every(({ leads }) => leads.kind === 'redirect');
  return isOpen(road) && !isRedirect && from !== null && now - from >= month;
}

function pausedLong({ name, paused: isPaused, where }: PlannedRoad, { since, now }: ForgottenFacts): Finding[] {
  const from = since.get(name)?.paused ?? null;
  if (!isPaused || from === null || now - from < month) return [];
  return [tell(paused, { say: 'paused', data: { road: name, since: day(from) }, roads: [name], where })];
}

function withoutVisitors({ name, paused: isPaused, where }: PlannedRoad, { logs, now }: ForgottenFacts): Finding[] {
  const log = logs.get(name);
  if (isPaused || log?.from === null || log === undefined || now - log.from < month) return [];
  const last = log.answered ?? log.from;
  if (now - last < month) return [];
  return [tell(unvisited, { say: 'nobody', data: { road: name, since: day(last) }, roads: [name], where })];
}

/** Only where every road of a password file has a log that goes back so far: whoever came by another one was seen there. */
function neverSeen({ plan, logs, people, now }: ForgottenFacts): Finding[] {
  const gates = new Map<string, { gate: string; roads: PlannedRoad[] }>();
  for (const road of plan.roads)
    for (const part of road.gate.parts) {
      const file = checkOf(part, 'people')?.file;
      if (file !== undefined) gates.set(file, { gate: part.name, roads: [...(gates.get(file)?.roads ?? []), road] });
    }
  return [...gates].flatMap(([file, { gate, roads }]) => {
    const told = roads.map(({ name }) => logs.get(name));
    const first = Math.max(...told.map((log) => log?.from ?? now));
    if (now - first < month) return [];
    const seen = (name: string): boolean => told.some((log) => now - (log?.people.get(name) ?? 0) < month);
    const missed = (people.get(file) ?? []).filter((name) => !seen(name));
    if (missed.length === 0) return [];
    const since = day(now - month);
    const data = { gate, people: missed, since };
    const names = roads.map(({ name }) => name);
    return [
      tell(unseen, { say: 'unseen', data, roads: names, where: roads[0]?.where ?? null, cause: `unseen:${gate}` }),
    ];
  });
}
