import { lstat, stat } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import { ensureFolder, writeWhole } from './safe-write.ts';

/** Everything Mile Marker keeps beside a map. */
export interface StatePaths {
  root: string;
  /** Tells the files of this map from those of others. */
  identity: string;
  practice: string;
  certificates: string;
  /** What a front reads of the devices: their authority's certificate, and which were removed. */
  devices: string;
  /** The key of their authority, and which there are. */
  deviceKeys: string;
  front: string;
  challenges: string;
  acme: string;
  dns: string;
  firewall: string;
  hsts: string;
  /** Since when roads are open to everyone, or paused. */
  since: string;
  /** When it was said last what is forgotten. */
  reminded: string;
  verify: string;
  /** Notes for each service. */
  notes: string;
  /** The newest run of `verify` over the whole map, in full. */
  newest: string;
  /** Held while `follow` runs. */
  following: string;
  /** What the engines of other machines said last. */
  machines: string;
  /** What the half of `follow` that asks the engine found. */
  found: string;
  /** Whom roads led to when files were written last. */
  known: string;
  /** Held while the half of `follow` runs that asks the engine. */
  finding: string;
  /** The form of the map, for editors. */
  schema: string;
}

/** Whose the map is, by its folder: as that user keys are written and read, since all that is made there is that user's. */
export async function stateOwner({ root }: Pick<StatePaths, 'root'>): Promise<{ uid: number; gid: number }> {
  const { uid, gid } = await stat(root).catch(() => stat(dirname(root)));
  return { uid, gid };
}

/** @param mapFile absolute path of the map */
export function statePaths(mapFile: string): StatePaths {
  const root = join(dirname(mapFile), '.mile-marker');
  return {
    root,
    identity: join(root, 'identity'),
    practice: join(root, 'practice'),
    certificates: join(root, 'certificates'),
    devices: join(root, 'devices'),
    deviceKeys: join(root, 'device-keys'),
    front: join(root, 'front'),
    challenges: join(root, 'challenges'),
    acme: join(root, 'acme'),
    dns: join(root, 'dns'),
    firewall: join(root, 'firewall'),
    hsts: join(root, 'hsts.jsonl'),
    since: join(root, 'since.jsonl'),
    reminded: join(root, 'reminded'),
    verify: join(root, 'verify.jsonl'),
    notes: join(root, 'services'),
    newest: join(root, 'newest-run.json'),
    following: join(root, 'following'),
    machines: join(root, 'machines'),
    found: join(root, 'found.json'),
    known: join(root, 'known-services.json'),
    finding: join(root, 'finding'),
    schema: join(root, 'map.schema.json'),
  };
}

/** Makes the state folder with a `.gitignore` of its own: keys must not travel into a repository with the map. */
export async function ensureState({ root }: StatePaths): Promise<void> {
  await ensureFolder(root);
  const ignore = join(root, '.gitignore');
  const there = await lstat(ignore).catch(() => null);
  if (there === null) await writeWhole(ignore, '*\n');
}
