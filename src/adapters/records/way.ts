import type { DnsName } from '../../core/outside/words.ts';
import type { SetChange } from '../../core/records/change.ts';
import type { SiteMap } from '../../core/map/site-map.ts';
import type { NameServer } from '../dns/query.ts';

/** One TXT record that proves a name to an authority (RFC 8555 §8.4). */
export interface ProofChange {
  act: 'add' | 'remove';
  name: DnsName;
  zone: string;
  value: string;
}

/** What carrying out a change needs of the world. */
interface WayWorld {
  now: Date;
  timeoutMs: number;
  signal: AbortSignal;
  say: (text: string) => void;
}

/**
 * A way by which records come into a zone.
 *
 * @property isByHand a person has to do it: nothing is carried out but what can be said
 * @property server the one that takes changes, which is asked for what stands there too; null for an authoritative one of the zone
 */
export interface RecordWay {
  isByHand: boolean;
  server: NameServer | null;
  /** @throws Trouble `update-refused`, `publish-failed` */
  changeProof: (change: ProofChange, world: WayWorld) => Promise<void>;
  /** @throws Trouble `update-refused`, `update-overtaken`, `publish-failed` */
  changeSets: (zone: string, changes: readonly SetChange[], world: Omit<WayWorld, 'say'>) => Promise<void>;
}

/** What the map says of one way. Null where it says another one. @param folder of the map */
export type ReadWay = (dns: SiteMap['dns'], folder: string) => Promise<RecordWay | null>;
