import type { PlannedPart, PlannedRoad } from '../../core/plan/plan.ts';
import type { FrontView } from './asking/front-view.ts';

/**
 * One address of the front.
 *
 * @property isSound nothing is wrong with its handshake. Where something is, it may be somebody else: no password goes there, and nothing is
 *   tried on them
 */
export interface TestedAddress {
  address: string;
  front: FrontView;
  isSound: boolean;
}

/** A part of a road at one address of the front. */
export interface PartAt {
  road: PlannedRoad;
  part: PlannedPart;
  at: TestedAddress;
}
