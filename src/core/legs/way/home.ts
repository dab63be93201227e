import { card } from '../../findings/card.ts';
import type { Problem } from '../leg.ts';

const hairpin = card({
  id: 'no-hairpin',
  severity: 'note',
  summary: 'From home the public address does not answer, but the home address does.',
  why: 'Many routers cannot be reached at their public address from inside (no hairpin NAT). Visitors outside are not affected.',
  source: 'RFC 4787 §6 (hairpinning)',
  messages: {
    hairpin: {
      message:
        'From here {public} does not answer, so everything was tested at {home}, the home address. Visitors from outside were not tested.',
      remedy:
        'Try one name on a phone with Wi-Fi off. For devices at home, add these records to the resolver at home: mile-marker dns records --view home --hosts',
    },
    unwritten: {
      message:
        'From here {public} does not answer, and the front of this machine does, at {home}. Everything was tested there. Either the router has no hairpin NAT, or it does not forward the ports. Only a test from outside can tell.',
      remedy:
        'Try one name on a phone with Wi-Fi off. If it works, write under `front` in the map: home: [{home}]. If it does not, let the router pass TCP ports {ports} to this machine.',
    },
  },
});

const split = card({
  id: 'split-dns',
  severity: 'note',
  summary: 'From home the names lead to the home address (split DNS).',
  why: 'This is right if a resolver at home has its own records. It does not show what visitors from outside get.',
  source: 'map reference: `front.home`',
  messages: {
    here: {
      message: 'The resolver {resolver} leads {names} to {found}, the home address.',
      remedy: 'See what visitors from outside get, by a public resolver: mile-marker dns check --resolver ADDRESS',
    },
  },
});

const pastEdge = card({
  id: 'front-past-edge',
  severity: 'warning',
  summary: 'The front also answers past the edge.',
  why: 'Anyone who knows your address bypasses the edge.',
  source: 'map reference: `front.edge`',
  messages: {
    open: {
      message: 'From here {addresses} answers, but visitors should come through the edge only.',
      remedy:
        'Let only the networks of the edge through: set it in your router, or load the rules on this machine: mile-marker install firewall',
    },
  },
});

export const homeCards = [hairpin, split, pastEdge];

export function frontPastEdge(addresses: readonly string[]): Problem {
  return { card: pastEdge, say: 'open', data: { addresses: [...addresses] }, cause: 'past-edge' };
}

/** @param home addresses that answer @param front as the map has it: with the address of home on it or without */
export function noHairpin(
  publicAddresses: readonly string[],
  home: readonly string[],
  front: { home: readonly string[]; ports: { http: number; https: number } },
): Problem {
  const say = front.home.length > 0 ? 'hairpin' : 'unwritten';
  const ports = `${String(front.ports.http)} and ${String(front.ports.https)}`;
  return { card: hairpin, say, data: { public: [...publicAddresses], home: [...home], ports }, cause: 'hairpin' };
}

export function splitDns(resolver: string, found: readonly string[]): Problem {
  return { card: split, say: 'here', data: { resolver, found: [...found] }, cause: `split:${found.join()}` };
}
