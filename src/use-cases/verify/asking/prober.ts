import { ask } from '../../../adapters/probe/ask.ts';
import { askTwo } from '../../../adapters/probe/ask-two.ts';
import { connect, type Limits } from '../../../adapters/probe/connect.ts';
import { handshake, type Shaken, type Trust } from '../../../adapters/probe/handshake.ts';
import type { NameSource } from '../../../adapters/probe/look-up.ts';
import { chainInOrder, oldProtocol } from '../../../adapters/probe/old-tls.ts';
import { weakSuite } from '../../../adapters/probe/weak-suites.ts';
import { keptConnections } from '../../../adapters/probe/kept.ts';
import { openLive } from '../../../adapters/probe/open-live.ts';
import type { Pair } from '../../../adapters/certificates/make.ts';
import type { ShownDevice } from '../../../core/gates/kind.ts';
import { noDevices, type DevicesShown } from './devices.ts';
import type { Answer, Attempt } from '../../../core/legs/answer.ts';
import type { Plan } from '../../../core/plan/plan.ts';
import { isOwnPage } from '../../../core/proxies/known-answers.ts';
import type { TakenSuite } from '../../../core/legs/tls/weak-suites.ts';
import type { Opened } from '../../../core/legs/passing/websocket.ts';

export interface Endpoint {
  address: string;
  port: number;
}

/** One request to the front. @property name for the handshake; empty for none */
export interface Question extends Endpoint {
  scheme: 'http' | 'https';
  name: string;
  target: string;
  method?: string;
  announces?: number;
  sends?: number;
  headers: Record<string, string>;
  /** The address of this machine to ask from; null for whichever fits. */
  from?: string | null;
  /** What its device shows; by default what is asked for on this name, as far as there is such a device. */
  device?: ShownDevice | undefined;
}

/** How the front is looked at: from this machine, or by what another one wrote down. */
export interface Prober {
  names: NameSource;
  /** The value is the address on this side of the connection. */
  connect: (at: Endpoint) => Promise<Attempt<string>>;
  handshake: (at: Endpoint, name: string) => Promise<Attempt<Shaken>>;
  oldProtocol: (at: Endpoint, name: string) => Promise<string | null>;
  weakSuite: (at: Endpoint, name: string) => Promise<TakenSuite>;
  chainInOrder: (at: Endpoint, name: string) => Promise<boolean | null>;
  ask: (question: Question) => Promise<Attempt<Answer>>;
  /** The same over HTTP/2; null where the front does not choose it, or nobody looked. */
  askTwo: (question: Question) => Promise<Attempt<Answer> | null>;
  /** Null: nobody looked. */
  openLive: (question: Omit<Question, 'method'> & { quietMs?: number }) => Promise<Opened | null>;
  /** Whether anything may be asked that was not foreseen. */
  isLive: boolean;
}

/** Looks for itself. */
export function liveProber(names: NameSource, trust: Trust, limits: Limits, devices: DevicesShown = noDevices): Prober {
  const kept = keptConnections();
  const shown = ({ name, device }: Pick<Question, 'name' | 'device'>): Pair | null => {
    const usual = devices.shownFor(name);
    return devices.certificate(device ?? usual, usual.state === 'good' ? usual.name : null);
  };
  return {
    names,
    connect: (at) => connect({ ...at, ...limits }),
    handshake: (at, name) => handshake({ ...at, name, trust, ...limits }),
    oldProtocol: (at, name) => oldProtocol({ ...at, name, ...limits }),
    weakSuite: (at, name) => weakSuite({ ...at, name, ...limits }),
    chainInOrder: (at, name) => chainInOrder({ ...at, name, ...limits }),
    ask: ({ name, from, device, ...question }) =>
      ask({ ...question, servername: name, kept, device: shown({ name, device }), ...limits, ...source(from) }),
    askTwo: ({ name, from, device, headers: { host = name, ...headers }, ...question }) =>
      askTwo({
        ...question,
        ...{ authority: host, headers, servername: name, device: shown({ name, device }) },
        ...limits,
        ...source(from),
      }),
    openLive: ({ name, target, from, device, ...question }) =>
      openLive({
        ...{ ...question, servername: name, path: target, device: shown({ name, device }) },
        ...limits,
        ...source(from),
      }),
    isLive: true,
  };
}

function source(from: string | null | undefined): Pick<Limits, 'from'> {
  return from === undefined || from === null ? {} : { from };
}

/** The same, which knows the front's answers by the pages of the map. */
export function knowingPages(prober: Prober, plan: Pick<Plan, 'pages'>): Prober {
  if (Object.keys(plan.pages).length === 0) return prober;
  const ask: Prober['ask'] = async (question) => {
    const attempt = await prober.ask(question);
    return attempt.ok && isOwnPage(attempt.value, plan)
      ? { ok: true, value: { ...attempt.value, isPage: true } }
      : attempt;
  };
  return { ...prober, ask };
}
