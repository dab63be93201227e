import type { RuleKey } from '../road-rules/road-rules.ts';
/** Where something was found in a configuration made by hand. */
export interface Origin {
  file: string;
  line: number;
}

/** Where a road, or a prefix of it, led. */
export type TakenLeads =
  | { kind: 'service'; to: string; insecure: boolean; sayHost: string | null }
  | { kind: 'redirect'; url: string; permanent: boolean }
  | { kind: 'folder'; path: string };

/** Who was let in. @property except prefixes without it @property wasOn the prefix that alone had it; null for all of the road @property unsaid others were kept out in a way that a map has no words for */
export interface TakenGate {
  networks: string[];
  people: string | null;
  need: 'any' | 'all';
  except: string[];
  wasOn: string | null;
  unsaid: boolean;
}

/** What else a map can say of it, by its key: a value as it is written, or header lines. Null and an empty list are not written. */
export type TakenRules = Partial<Record<RuleKey, string | null | Array<[string, string]>>>;

/** @property name full name in comparable form; `*.NAME` for all others of a domain */
export interface TakenRoad {
  name: string;
  origin: Origin;
  leads: TakenLeads;
  paths: Array<{ prefix: string; leads: TakenLeads; origin: Origin }>;
  gate: TakenGate | null;
  certificate: { certificate: string; key: string } | null;
  rules: TakenRules;
}

/** Something that a map cannot say. @property why in words that end a sentence */
export interface Left {
  origin: Origin;
  what: string;
  why: string;
}

/** What a server program serves by files made by hand, as far as a map can say it. @property addresses literal ones that it listens on @property ports those that most of it listens on */
export interface TakenOver {
  roads: TakenRoad[];
  left: Left[];
  addresses: string[];
  ports: { http: number; https: number };
}
