import type { RoadChange } from '../../core/follow/changes.ts';
import type { LabelNotObeyed } from '../../core/labels/labelled-roads.ts';
import type { MapLabels } from '../../core/map/site-map.ts';
import type { Finding } from '../../core/findings/finding.ts';

/** What `follow` says of what it saw and did. Everything is said once. `machine` is empty for this machine. */
export type Followed =
  | { kind: 'first'; roads: number; edition: number }
  | { kind: 'live'; changes: RoadChange[]; edition: number; afterMs: number }
  | { kind: 'seen'; changes: RoadChange[] }
  | { kind: 'not-live'; changes: RoadChange[]; problem: string; remedy: string }
  | { kind: 'left'; roads: string[]; edition: number }
  | { kind: 'certificates'; what: string }
  | { kind: 'map-refused'; findings: Finding[] }
  | { kind: 'map-read' }
  | { kind: 'label'; label: LabelNotObeyed; labels: MapLabels | null }
  | { kind: 'found'; containers: number }
  | { kind: 'away'; machine: string; problem: string }
  | { kind: 'back'; machine: string };
