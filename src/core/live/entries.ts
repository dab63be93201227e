import * as z from 'zod';
import { proxyNames } from '../proxies/names.ts';

const at = z.string();
const edition = z.number();

const container = z
  .object({ name: z.string(), engine: z.string().nullable(), inCluster: z.boolean().optional() })
  .nullable();
const mark = z.object({ address: z.string(), port: z.number() });

/** Where a front runs, as far as a later command needs it to ask or to tell it. */
const place = z.object({ proxy: z.enum(proxyNames), mark, container });
export type PlaceEntry = z.infer<typeof place>;

/** A file that was made so that a proxy reads ours; `content` is what was written, and empty in entries of version 1.0.0. */
const madeFile = z.object({ path: z.string(), content: z.string(), proxy: z.enum(proxyNames) });
export type MadeFile = z.infer<typeof madeFile>;

/**
 * A file of somebody else in which something was switched off.
 *
 * @property kept where it lies as it was: its name in the folder of replaced files, or the whole path in entries of version 1.0.0
 * @property link where its link led when it was one, and whose that was
 * @property leaves the program of that file, which gave its ports to another one by it
 * @property off the same of what was put in its place, and the SHA-256 of that
 */
const replacedFile = z.object({
  path: z.string(),
  kept: z.string(),
  link: z.string().nullable(),
  owner: z.object({ uid: z.number(), gid: z.number() }).optional(),
  leaves: z.enum(proxyNames).optional(),
  off: z.object({ name: z.string(), digest: z.string() }).optional(),
});
export type Replaced = z.infer<typeof replacedFile>;

/**
 * All that a change does on the disk, and what was there before: enough to end it from any point, or to take it back.
 *
 * @property keepsLink nothing is live afterwards, and `current` stays all the same: another server names its folder by a line that a person wrote
 * @property was what was live and lay there: where, whether the front answered its mark, whether the server of the new place ran, and what `current` led to
 */
const change = z.object({
  was: z.object({
    place: place.nullable(),
    answered: z.boolean(),
    ran: z.boolean(),
    current: edition.nullable(),
  }),
  makes: z.array(madeFile),
  removes: z.array(madeFile),
  restores: z.array(replacedFile),
  keepsLink: z.boolean().optional(),
});

/**
 * An edition that is or was live, and what lay on the disk for it.
 *
 * @property digest null where the journal has lost it @property place null in journals that begin in its middle
 * @property started its server did not run before, and was started for it
 */
const live = z.object({
  edition,
  digest: z.string().nullable(),
  place: place.nullable(),
  started: z.boolean().optional(),
  made: z.array(madeFile),
  replaced: z.array(replacedFile),
});
export type Live = z.infer<typeof live>;

/**
 * @property live null when nothing was ever confirmed, or it was undone
 * @property stood editions that were live and were not taken back, the newest last
 * @property made files by which proxies read ours @property replaced files of others in which something is switched off; both in the order in which they came
 * @property highest number of an edition that was ever prepared
 */
const record = z.object({
  live: live.nullable(),
  stood: z.array(live),
  made: z.array(madeFile),
  replaced: z.array(replacedFile),
  highest: z.number(),
});
export type FrontRecord = z.infer<typeof record>;

/**
 * One line of the front's journal; `at` is ISO 8601. An edition is prepared (written whole), switched to (`current` leads to it), reloaded (the proxy
 * was told) and confirmed (its mark was seen and the roads tested). `installing` begins what `confirmed`, `undone`, `returned` or `refused` ends: all of
 * it holds then, or nothing. `stopped`: a front that gave its place to another. `seen`: a front said by its mark that it runs an edition which lies here. `record`: what
 * all entries before it came to, in their place.
 *
 * Fields: `from` and `to` are editions, null where there is no front of ours. `include` is the file that was made so that the proxy reads ours; null
 * when it did already. `proxy`, `mark`, `map` and `container` say whom to ask when this was interrupted. `tested` says whether the roads were tested.
 * `replaced`: files of others in which something was switched off. `change` is missing in entries of version 1.0.0.
 */
export const frontEntry = z.discriminatedUnion('event', [
  z.object({ event: z.literal('prepared'), at, edition, digest: z.string() }),
  z.object({ event: z.literal('switched'), at, edition, digest: z.string() }),
  z.object({
    event: z.literal('installing'),
    at,
    from: edition.nullable(),
    to: edition.nullable(),
    include: z.string().nullable(),
    ...place.shape,
    map: z.string().optional(),
    container: container.optional(),
    replaced: z.array(replacedFile).optional(),
    change: change.optional(),
  }),
  z.object({ event: z.literal('stopped'), at, proxy: z.enum(proxyNames) }),
  z.object({ event: z.literal('reloaded'), at, edition }),
  z.object({ event: z.literal('confirmed'), at, edition: edition.nullable(), tested: z.boolean() }),
  z.object({ event: z.literal('undone'), at, from: edition.nullable(), to: edition.nullable() }),
  z.object({ event: z.literal('returned'), at, from: edition.nullable(), to: edition.nullable(), why: z.string() }),
  z.object({ event: z.literal('refused'), at, edition, why: z.string() }),
  z.object({ event: z.literal('record'), at, record }),
  z.object({ event: z.literal('seen'), at, edition, digest: z.string(), ...place.shape }),
]);
export type FrontEntry = z.infer<typeof frontEntry>;
export type Begun = Extract<FrontEntry, { event: 'installing' }>;
