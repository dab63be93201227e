/** The steps of the verdict in the one order that every proxy keeps. */
export const stepNames = [
  'handshake',
  'true-address',
  'sanity',
  'acme-challenge',
  'unknown-name',
  'misdirected',
  'device',
  'plain-http',
  'paused',
  'body-limit',
  'method',
  'cors-preflight',
  'rate',
  'gate',
  'leads',
] as const;

export type StepName = (typeof stepNames)[number];

const place = new Map<StepName, number>(stepNames.map((name, index) => [name, index]));

/** Whether a step comes before another in the order. */
export function isBefore(step: StepName, other: StepName): boolean {
  return (place.get(step) ?? 0) < (place.get(other) ?? 0);
}
