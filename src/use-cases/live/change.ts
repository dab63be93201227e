import { readEdition, type Edition } from '../../adapters/files/editions.ts';
import type { Begun, Live, MadeFile, PlaceEntry, Replaced } from '../../core/live/entries.ts';
import { placeOfEntry, type FrontState } from '../../core/live/state.ts';
import { isSamePlace, type FrontPlace } from './front-moves.ts';

/**
 * One change of what is live: an installation, a move to another proxy, or its reverse. All that is needed to carry it out, to end it where it was cut short,
 * and to take it back byte for byte.
 *
 * @property from what is live before it; null when nothing is
 * @property to what shall be; null when nothing shall
 * @property place where `to` is; of what goes, when nothing shall be
 * @property left another front that gives its place to it; null when there is none
 * @property was what lay and ran there before, as in the journal
 * @property makes files by which the proxy will read ours @property removes those by which another one does
 * @property replaces files of others in which something is switched off by it @property restores those that come back
 */
export interface Change {
  from: Live | null;
  to: Edition | null;
  place: FrontPlace;
  left: FrontPlace | null;
  was: { answered: boolean; ran: boolean; current: number | null };
  makes: readonly MadeFile[];
  removes: readonly MadeFile[];
  replaces: readonly Replaced[];
  restores: readonly Replaced[];
  /** Nothing is live afterwards, and `current` stays: a server that does not start without that folder is told of it by a person. */
  keepsLink: boolean;
}

/** What the journal is told before anything is changed. */
export function entryOf(change: Change, at: string): Begun {
  const { from, to, place, was, makes, removes, replaces, restores, keepsLink } = change;
  const { proxy, mark, map, container } = place;
  return {
    ...{ event: 'installing', at, from: from?.edition ?? null, to: to?.number ?? null },
    ...{ include: makes[0]?.path ?? null, proxy, mark, map, container },
    replaced: [...replaces],
    change: {
      was: { ...was, place: from?.place ?? null },
      ...{ makes: [...makes], removes: [...removes], restores: [...restores], keepsLink },
    },
  };
}

/**
 * The change that an entry began, for whoever ends it.
 *
 * @param state what the journal says without it @param current what `current` leads to
 */
export async function changeOf(
  begun: Begun,
  state: FrontState,
  { folder, map, current }: { folder: string; map: string; current: number | null },
): Promise<Change> {
  const place: FrontPlace = { folder, map, ...placeOfEntry(begun) };
  const { include, proxy, change } = begun;
  // Version 1.0.0 noted no more; what was live then is what the journal had confirmed before.
  const legacy = include === null ? [] : [{ path: include, content: '', proxy }];
  const was = change?.was ?? {
    ...{ place: state.live?.place ?? null, answered: false, ran: true },
    current: state.live?.edition ?? begun.from ?? current,
  };
  return {
    from: state.live,
    to: begun.to === null ? null : await readEdition(folder, begun.to).catch(() => null),
    place,
    left: leftOf(was.place, place, { folder, map }),
    was: { answered: was.answered, ran: was.ran, current: was.current },
    makes: change?.makes ?? legacy,
    removes: change?.removes ?? [],
    replaces: begun.replaced ?? [],
    restores: change?.restores ?? [],
    keepsLink: change?.keepsLink ?? false,
  };
}

/** The front that was live, where it is another one than that which shall be. */
export function leftOf(
  before: PlaceEntry | null,
  place: PlaceEntry,
  whose: { folder: string; map: string },
): FrontPlace | null {
  return before === null || isSamePlace(before, place) ? null : { ...whose, ...before };
}
