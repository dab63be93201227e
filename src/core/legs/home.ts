import { card } from '../findings/card.ts';
import type { Problem } from './leg.ts';

const hairpin = card({
  id: 'no-hairpin',
  severity: 'note',
  summary: 'From home the public address does not answer, but the address of home does.',
  why: 'Many routers do not lead a request for their own public address back inside. That says nothing about visitors outside.',
  source: 'RFC 4787 §6 (hairpinning)',
  messages: {
    driven: {
      message:
        'From here {public} does not answer; everything was driven at {home}, the address of home. Whether visitors outside get in cannot be told from here.',
      remedy:
        'Try one name on a phone with Wi-Fi off. For devices at home give the resolver there these lines: mile-marker dns records --view home --hosts',
    },
  },
});

const split = card({
  id: 'split-naming',
  severity: 'note',
  summary: 'From home the names lead to the address of home.',
  why: 'That is how it is meant where a resolver at home has records of its own; what visitors outside get, another resolver must tell.',
  source: 'map reference: `front.home`',
  messages: {
    here: {
      message: 'The resolver {resolver} leads {names} to {found}, the address of home.',
      remedy: 'See what visitors outside get: mile-marker dns check --resolver ADDRESS, with a public resolver.',
    },
  },
});

const pastEdge = card({
  id: 'front-past-edge',
  severity: 'warning',
  summary: 'The front can be reached past the edge.',
  why: 'Whoever knows your address gets round everything that the edge does for you.',
  source: 'map reference: `front.edge`',
  messages: {
    open: {
      message: 'From here {addresses} answers, though visitors should come through the edge only.',
      remedy:
        'Let only the networks of the edge through to the front: load the rules of way-in.nft, or set the same in your router.',
    },
  },
});

export const homeCards = [hairpin, split, pastEdge];

export function frontPastEdge(addresses: readonly string[]): Problem {
  return { card: pastEdge, say: 'open', data: { addresses: [...addresses] }, cause: 'past-edge' };
}

export function noHairpin(publicAddresses: readonly string[], home: readonly string[]): Problem {
  return { card: hairpin, say: 'driven', data: { public: [...publicAddresses], home: [...home] }, cause: 'hairpin' };
}

export function splitNaming(resolver: string, found: readonly string[]): Problem {
  return { card: split, say: 'here', data: { resolver, found: [...found] }, cause: `split:${found.join()}` };
}
