import { answerOf, failureOf, openedOf } from '../../../adapters/recorded/curl.ts';
import { chainOf, oldProtocolOf, shakenOf, weakSuiteOf } from '../../../adapters/recorded/openssl.ts';
import type { Trust } from '../../../adapters/probe/handshake.ts';
import { notSeen } from '../../../core/look/seen.ts';
import type { Seen, SeenAnswer, SeenHandshake } from '../../../core/look/seen.ts';
import { familyOf, parseAddress } from '../../../core/networks/address.ts';
import type { Endpoint, Prober } from './prober.ts';

/** Looks at what another machine wrote down. */
export function recordedProber({ answers, handshakes, live }: Seen, trust: Trust): Prober {
  const at = ({ address, port }: Endpoint): SeenAnswer[] =>
    answers.filter((one) => one.port === port && isThere(one, address));
  const shaken = ({ address, port }: Endpoint, name: string): SeenHandshake | undefined =>
    handshakes.find((one) => one.name === name && one.port === port && one.family === familyOf(address));
  return {
    names: {
      label: 'of the other machine',
      addressesOf: (name) => {
        const own = answers.filter((one) => one.name === name);
        const found = own.flatMap(({ to }) => parseAddress(to) ?? []);
        if (found.length > 0) return Promise.resolve({ kind: 'found', addresses: [...new Set(found)].sort() });
        const unknown = own.length > 0 && own.every(({ exit }) => exit === 6);
        if (unknown) return Promise.resolve({ kind: 'missing' });
        return Promise.resolve({ kind: 'no-answer', reason: own[0]?.error ?? notSeen.reason });
      },
    },
    connect: (place) => {
      const tried = at(place);
      const open = tried.find(({ connected }) => connected);
      if (open !== undefined) return Promise.resolve({ ok: true, value: open.from });
      const [first] = tried;
      return Promise.resolve({ ok: false, failure: first === undefined ? notSeen : failureOf(first) });
    },
    handshake: (place, name) => {
      const found = shaken(place, name);
      return Promise.resolve(found === undefined ? { ok: false, failure: notSeen } : shakenOf(found, trust));
    },
    oldProtocol: (place, name) => Promise.resolve(oldProtocolOf(shaken(place, name)?.old ?? '')),
    weakSuite: (place, name) => Promise.resolve(weakSuiteOf(shaken(place, name)?.weak ?? '')),
    chainInOrder: (place, name) => Promise.resolve(chainOf(shaken(place, name)?.bytes ?? '')),
    ask: ({ scheme, name, target, method, headers, ...place }) => {
      const wanted = name === '' ? place.address : name;
      const found = at(place).find((one) => one.scheme === scheme && one.name === wanted && one.target === target);
      const asksAsItWas = (method ?? 'GET') === 'GET' && Object.keys(headers).every((key) => key === 'host');
      return Promise.resolve(found === undefined || !asksAsItWas ? { ok: false, failure: notSeen } : answerOf(found));
    },
    askTwo: () => Promise.resolve(null),
    openLive: ({ name, target, address, port }) => {
      const found = live.find(
        (one) => one.name === name && one.target === target && one.port === port && one.family === familyOf(address),
      );
      return Promise.resolve(found === undefined ? null : openedOf(found));
    },
    isLive: false,
  };
}

/** Whether an answer came from an address, or was looked for there. */
function isThere({ to, family }: SeenAnswer, address: string): boolean {
  const came = parseAddress(to);
  return came === null ? family === familyOf(address) : came === address;
}
