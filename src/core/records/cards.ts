import { card } from '../findings/card.ts';

export const noZone = card({
  id: 'dns-no-zone',
  severity: 'error',
  summary: 'A name on the map has no zone.',
  why: 'The domain is not registered, has expired, or is not delegated to name servers.',
  source: 'RFC 1034 §4.2.1',
  messages: {
    none: {
      message: 'There is no zone for {names}.',
      remedy: 'At your registrar, check that the domain is yours, and which name servers it is delegated to.',
    },
  },
});

export const dangling = card({
  id: 'dns-alias-dangling',
  severity: 'error',
  summary: 'An alias leads to a name that has no address.',
  why: 'Visitors get "server not found". If anybody can register that name, it may even lead them to a stranger.',
  source: 'RFC 1034 §3.6.2',
  messages: {
    nowhere: {
      message: 'DNS makes {names} an alias of {target}, which has no address.',
      remedy: 'Add an address record at {target}, or let the alias lead to a name that has one.',
    },
    circle: {
      message: 'The aliases of {names} form a loop: {path}.',
      remedy: 'Let one of them lead to a name with an address.',
    },
  },
});

export const disagree = card({
  id: 'dns-servers-disagree',
  severity: 'error',
  summary: "The zone's own name servers say different things.",
  why: 'Visitors get one answer or the other, by chance. Usually a secondary server does not have the newest zone yet.',
  source: 'RFC 1034 §4.3.5; RFC 1996 (NOTIFY)',
  messages: {
    differ: {
      message: 'The name servers of {zone} disagree about {names}: {says}.',
      remedy:
        'Let the server with the older serial fetch the zone again. Check that it gets NOTIFY and may transfer the zone.',
    },
  },
});

export const serverBad = card({
  id: 'dns-server-bad',
  severity: 'warning',
  summary: 'One of the name servers of a zone does not serve it.',
  why: 'Resolvers lose time with it, so visitors wait. If the other servers fail too, nothing works.',
  source: 'RFC 1912 §2.8 (lame delegations)',
  messages: {
    silent: {
      message: '{server} ({address}), a name server of {zone}, does not answer: {reason}.',
      remedy: 'Start it, or remove it from the NS records of {zone} and from the delegation.',
    },
    lame: {
      message: '{server} ({address}) is listed as a name server of {zone}, but does not serve it: {reason}.',
      remedy: 'Set up the zone there, or remove the server from the NS records and from the delegation.',
    },
    all: {
      message: 'None of the name servers of {zone} serves it: {says}.',
      remedy: 'Start them, or correct the delegation at your registrar.',
    },
  },
});

export const delegation = card({
  id: 'dns-delegation-differs',
  severity: 'warning',
  summary: 'The zone above lists other name servers than the zone itself.',
  why: 'Resolvers use one list or the other, so they may still ask an old server.',
  source: 'RFC 1912 §2.3; RFC 1034 §4.2.2',
  messages: {
    differ: {
      message: 'The zone above {zone} lists {parent}, but the zone itself lists {own}.',
      remedy: 'Make both lists the same: at your registrar, or in the NS records of {zone}.',
    },
  },
});

export const caaBars = card({
  id: 'caa-bars-authority',
  severity: 'error',
  summary: 'A CAA record does not let the authority of the map issue certificates.',
  why: 'The current certificates work until they expire. Then they cannot be renewed.',
  source: 'RFC 8659; RFC 8657',
  messages: {
    bars: {
      message: 'The CAA record of {at} does not allow {issuer} to issue for {of}: {why}.',
      remedy: 'Add at your DNS provider: {at}. CAA 0 issue "{issuer}"',
    },
  },
});

export const longMemory = card({
  id: 'dns-remembered-long',
  severity: 'note',
  summary: 'Resolvers may cache an address for a long time.',
  why: 'After a move, visitors may get the old address for that time.',
  source: 'RFC 1035 §3.2.1 (TTL); RFC 1912 §2.2',
  messages: {
    long: {
      message: 'Resolvers may cache the address of {names} for {time}.',
      remedy:
        'Before you move, give the records a time to live of 5 minutes, and wait {time}. Afterwards it may be longer again.',
    },
  },
});

export const cached = card({
  id: 'dns-cached',
  severity: 'warning',
  summary: 'The zone is right, but a resolver still has an older answer.',
  why: 'Visitors behind that resolver get the old answer until its time is over.',
  source: 'RFC 2308 §5 (negative answers); RFC 1035 §3.2.1 (TTL)',
  messages: {
    no: {
      message: 'The resolver {resolver} still remembers that {names} does not exist, for up to {time}.',
      remedy: 'Wait. To see when it is over: mile-marker dns check --watch',
    },
    old: {
      message: 'The resolver {resolver} still remembers {found} for {names}, for up to {time}.',
      remedy: 'Wait. To see when it is over: mile-marker dns check --watch',
    },
  },
});

export const wild = card({
  id: 'dns-wildcard-answers',
  severity: 'note',
  summary: 'A wildcard record answers for names that are not on the map.',
  why: 'Mistyped names lead somewhere. This is harmless if the front refuses unknown names.',
  source: 'RFC 4592 §2.2',
  messages: {
    front: {
      message: 'A wildcard record of {domain} leads every name to the front, even those that are not on the map.',
      remedy:
        'If it is on purpose, write `style: wildcard` under `dns` in the map. If not, remove the record *.{domain}.',
    },
    elsewhere: {
      message: 'A wildcard record of {domain} leads every other name to {found}, which is not your front.',
      remedy: 'Remove the record *.{domain}, unless somebody needs it.',
    },
  },
});

export const recordCards = [caaBars, longMemory, noZone, dangling, disagree, serverBad, delegation, cached, wild];
