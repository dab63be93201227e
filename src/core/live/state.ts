import type { Begun, FrontEntry, FrontRecord, Live, PlaceEntry } from './entries.ts';

/**
 * What is live, by facts alone: only what was confirmed, undone or seen changes it. No answer is no fact.
 *
 * @property begun what was begun and not ended: a kill, a crash or a full disk came between
 */
export interface FrontState extends FrontRecord {
  begun: Begun | null;
}

/** So many editions that stood are remembered. */
const mostStood = 100;

const nothing: FrontState = { live: null, stood: [], made: [], replaced: [], begun: null, highest: 0 };

/** Folds the journal of a front, oldest entry first, into what is live. */
export function stateOf(entries: readonly FrontEntry[]): FrontState {
  const digests = new Map<number, string>();
  let state = nothing;
  for (const entry of entries) {
    if ('digest' in entry) digests.set(entry.edition, entry.digest);
    state = after(state, entry, digests);
  }
  return state;
}

function after(state: FrontState, entry: FrontEntry, digests: ReadonlyMap<number, string>): FrontState {
  switch (entry.event) {
    case 'prepared':
    case 'switched':
      return { ...state, highest: Math.max(state.highest, entry.edition) };
    case 'installing':
      return { ...state, begun: entry };
    case 'record':
      return { ...entry.record, begun: null };
    case 'refused':
      return { ...state, made: madeBack(state), begun: null };
    case 'confirmed':
      return held(state, entry.edition, digests);
    case 'undone':
      return takenBack(held(state, entry.to, digests), entry.from);
    case 'returned':
      return returned(state, entry, digests);
    case 'seen': {
      const { edition, digest, proxy, mark, container } = entry;
      const { made, replaced } = state;
      return standing(state, { edition, digest, place: { proxy, mark, container }, made, replaced });
    }
    case 'stopped':
    case 'reloaded':
      return state;
  }
}

/** What was begun holds now. */
function held(state: FrontState, edition: number | null, digests: ReadonlyMap<number, string>): FrontState {
  const { begun } = state;
  const files = begun === null ? state : { ...state, ...filesAfter(state, begun) };
  const ended = { ...files, begun: null };
  if (edition === null) return { ...ended, live: null };
  const place = begun === null ? (state.live?.place ?? null) : placeOfEntry(begun);
  const { made, replaced } = ended;
  const started = wasStarted(state, place);
  return standing(ended, { edition, digest: digestOf(edition, state, digests), place, started, made, replaced });
}

/** What was live there before says it, else whether its server ran when the change began. */
function wasStarted({ live, stood, begun }: FrontState, place: PlaceEntry | null): boolean {
  const isThere = (one: Live): boolean =>
    one.place?.proxy === place?.proxy && one.place?.container?.name === place?.container?.name;
  const before = live !== null && isThere(live) ? live : null;
  if (before !== null) return before.started === true;
  if (begun?.change !== undefined) return !begun.change.was.ran;
  return [...stood].reverse().find(isThere)?.started === true;
}

function digestOf(edition: number, { stood }: FrontState, digests: ReadonlyMap<number, string>): string | null {
  return digests.get(edition) ?? stood.find((one) => one.edition === edition)?.digest ?? null;
}

function standing(state: FrontState, live: Live): FrontState {
  const others = state.stood.filter(({ edition }) => edition !== live.edition);
  return { ...state, live, stood: [...others, live].slice(-mostStood) };
}

function takenBack(state: FrontState, edition: number | null): FrontState {
  return { ...state, stood: state.stood.filter((one) => one.edition !== edition) };
}

/** Of a change that failed nothing holds. In version 1.0.0 this also ended what a person undid. */
function returned(
  state: FrontState,
  { from, to }: Extract<FrontEntry, { event: 'returned' }>,
  digests: ReadonlyMap<number, string>,
): FrontState {
  const { begun } = state;
  if (begun?.change !== undefined) {
    return { ...takenBack({ ...state, made: madeBack(state) }, from), begun: null };
  }
  const stays = state.replaced.filter(({ kept }) => !isOfEdition(kept, from));
  const made = begun === null ? state.made : filesAfter(state, begun).made;
  const files = to === null ? { made: [], replaced: [] } : { made, replaced: stays };
  const ended = { ...takenBack({ ...state, ...files }, from), begun: null };
  if (to === null) return { ...ended, live: null };
  const stood = ended.stood.find(({ edition }) => edition === to);
  const place = stood?.place ?? state.live?.place ?? (begun === null ? null : placeOfEntry(begun));
  return standing(ended, { edition: to, digest: digestOf(to, state, digests), place, ...files });
}

/** Files by which proxies read ours, after a change was taken back. */
function madeBack(state: FrontState): FrontState['made'] {
  const { begun } = state;
  return begun !== null && staysRead(begun) ? filesAfter(state, begun).made : state.made;
}

/**
 * Whether what was live before a change needs the file by which the proxy reads ours, too: somebody had removed it by hand, and going back without it would end
 * the front.
 */
function staysRead({ from, change, ...place }: Begun): boolean {
  const before = change?.was.place ?? null;
  if (from === null || before === null) return false;
  return before.proxy === place.proxy && before.container?.name === place.container?.name;
}

/** Version 1.0.0 named what it kept after the edition. */
function isOfEdition(kept: string, edition: number | null): boolean {
  return edition !== null && Number(/(?:^|\/)(\d{4,})-\d+$/.exec(kept)?.[1]) === edition;
}

function filesAfter(state: FrontState, begun: Begun): Pick<FrontState, 'made' | 'replaced'> {
  const { proxy, include, replaced = [], change } = begun;
  const makes = change?.makes ?? (include === null ? [] : [{ path: include, content: '', proxy }]);
  const [removed, restored] = [change?.removes ?? [], change?.restores ?? []];
  const gone = [...removed, ...makes].map(({ path }) => path);
  // Version 1.0.0 could keep two files under one name; what lies there is the last one.
  const back = [...restored, ...replaced].map(({ kept }) => kept);
  return {
    made: [...state.made.filter(({ path }) => !gone.includes(path)), ...makes],
    replaced: [...state.replaced.filter(({ kept }) => !back.includes(kept)), ...replaced],
  };
}

/** Where the front of an entry runs. */
export function placeOfEntry({ proxy, mark, container = null }: Begun): PlaceEntry {
  return { proxy, mark, container };
}

/** The edition that counted before what is live now; null when there is none, so that going back means that the front goes. */
export function standingBefore({ stood, live }: FrontState): Live | null {
  return stood.filter(({ edition }) => edition !== live?.edition).at(-1) ?? null;
}
