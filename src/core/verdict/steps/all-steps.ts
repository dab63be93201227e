import {
  acmeChallenge,
  device,
  handshake,
  misdirected,
  plainHttp,
  sanity,
  trueAddress,
  unknownName,
} from './before-road.ts';
import { leads } from './leads.ts';
import { bodyLimit, corsPreflight, gate, method, paused, rate } from './of-road.ts';
import type { Step } from './step.ts';

/** The steps in the one order that every proxy keeps. A new one is an object with its words, and a line here. */
const inOrder = [
  handshake,
  trueAddress,
  sanity,
  acmeChallenge,
  unknownName,
  misdirected,
  device,
  plainHttp,
  paused,
  bodyLimit,
  method,
  corsPreflight,
  rate,
  gate,
  leads,
] as const;

export type StepName = (typeof inOrder)[number]['name'];

export const steps: ReadonlyArray<Step & { name: StepName }> = inOrder;

const place = new Map<StepName, number>(inOrder.map(({ name }, index) => [name, index]));

/** Whether a step comes before another in the order. */
export function isBefore(step: StepName, other: StepName): boolean {
  return (place.get(step) ?? 0) < (place.get(other) ?? 0);
}
