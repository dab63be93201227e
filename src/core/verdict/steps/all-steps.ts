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
import { stepNames, type StepName } from './step-names.ts';
import type { Step } from './step.ts';

/** Each step by its name. A new one is an object with its words, a line here and its place among the names. */
const byName: { readonly [Name in StepName]: Step & { name: Name } } = {
  handshake,
  'true-address': trueAddress,
  sanity,
  'acme-challenge': acmeChallenge,
  'unknown-name': unknownName,
  misdirected,
  device,
  'plain-http': plainHttp,
  paused,
  'body-limit': bodyLimit,
  method,
  'cors-preflight': corsPreflight,
  rate,
  gate,
  leads,
};

export const steps: ReadonlyArray<Step & { name: StepName }> = stepNames.map((name) => byName[name]);
