import type { LabelNotObeyed } from '../labels/labelled-roads.ts';
import type { HeldCertificate } from '../certificates/cover.ts';
import type { Card } from '../findings/card.ts';
import type { Finding } from '../findings/finding.ts';
import type { HostFacts, Inventory, ListeningSocket } from '../inventory/inventory.ts';
import type { FilesOfMap } from '../plan/files-of-map.ts';
import type { ReadPage } from '../plan/page-texts.ts';
import type { PlaceEntry } from '../live/entries.ts';
import type { SiteMap } from '../map/site-map.ts';
import type { Plan } from '../plan/plan.ts';
import type { ServerBlock } from '../proxies/server-block.ts';
import type { WhereFront } from '../plan/where-front.ts';

/**
 * Everything a rule may look at. Gathered before; a rule itself touches nothing.
 *
 * @property certificates what lies on disk, by certificate id; null when there is none that can be read
 * @property startsAtBoot whether this machine starts the map's proxy by itself; null when that cannot be known
 * @property now milliseconds since the epoch
 */
export interface Facts {
  map: SiteMap;
  plan: Plan;
  inventory: Inventory;
  front: WhereFront;
  certificates: ReadonlyMap<string, HeldCertificate | null>;
  /** The authority that issued what is stored, by the id of the certificate, as its journal has it. */
  issuedBy: ReadonlyMap<string, string>;
  /** By the map's own proxy; null when it has no dump, or is part of this program. */
  served: Served | null;
  /** The server program on this machine: its version, and what it is built with; null where that is not known. */
  installed: { version: string | null; modules: readonly string[] | null };
  /** What this machine is like, its container networks told apart. */
  host: HostFacts;
  sockets: ListeningSocket[];
  startsAtBoot: boolean | null;
  /** Password files, folders and files of authorities, as they lie on this machine. */
  files: FilesOfMap;
  /** The files of `pages`. */
  pages: readonly ReadPage[];
  /** Labels of containers that make no road, although the map obeys labels. */
  notObeyed: readonly LabelNotObeyed[];
  /** Until when browsers may remember that a name insists on HTTPS, in milliseconds since the epoch. */
  hsts: ReadonlyMap<string, number>;
  /** Rules of ours for the firewall of this machine were kept. */
  isWalled: boolean;
  /** The front that is live, by the journal, where it is another one than the map wants: it gives way when the map goes live. */
  former: PlaceEntry | null;
  /** Room on the disk of the state folder; null where that cannot be known. */
  room: { freeBytes: number; freeFiles: number } | null;
  /** Whose the folder of the map is, once a server reads it that starts as root; null for root itself. */
  owner: string | null;
  /** What is wrong with the key file by which the zone is updated, and what to do; null when nothing is, or the map names none. */
  updateKey: { problem: string; remedy: string } | null;
  now: number;
}

/**
 * What an installed server program serves by files that are not ours. Empty when it is not installed.
 *
 * @property by name of the program, as a sentence has it
 * @property problem why it could not be asked, or null
 * @property refuses its own test failed: it starts and reloads with nothing of what is set up
 */
export interface Served {
  by: string;
  blocks: ServerBlock[];
  problem: string | null;
  refuses: boolean;
}

/** A rule of `check`: a card to read and a pure function from facts to findings. */
export interface Rule {
  card: Card;
  check: (facts: Facts) => Finding[];
}
