import { card } from '../findings/card.ts';

export const noZone = card({
  id: 'dns-no-zone',
  severity: 'error',
  summary: 'A name on the map lies in no zone that can be found.',
  why: 'The domain is not registered, has run out, or is not delegated to name servers.',
  source: 'RFC 1034 §4.2.1',
  messages: {
    none: {
      message: 'No zone is found for {names}.',
      remedy: 'Check at your registrar that the domain is yours, and which name servers it is delegated to.',
    },
  },
});

export const dangling = card({
  id: 'dns-alias-dangling',
  severity: 'error',
  summary: 'An alias leads to a name that has no address.',
  why: 'Visitors get "server not found". A name that anybody could register would even lead them to a stranger.',
  source: 'RFC 1034 §3.6.2',
  messages: {
    nowhere: {
      message: 'DNS makes {names} an alias of {target}, which has no address.',
      remedy: 'Add the address record at {target}, or make the alias lead to a name that has one.',
    },
    circle: {
      message: 'The aliases of {names} go round in a circle: {path}.',
      remedy: 'Let one of them lead to a name with an address.',
    },
  },
});

export const disagree = card({
  id: 'dns-servers-disagree',
  severity: 'error',
  summary: "The zone's own name servers say different things.",
  why: 'Which answer a visitor gets depends on which server is asked. Usually a secondary has not taken over the newest state.',
  source: 'RFC 1034 §4.3.5; RFC 1996 (NOTIFY)',
  messages: {
    differ: {
      message: 'The name servers of {zone} disagree about {names}: {says}.',
      remedy: 'Have the one with the older serial fetch the zone again; check that it gets NOTIFY and may transfer.',
    },
  },
});

export const serverBad = card({
  id: 'dns-server-bad',
  severity: 'warning',
  summary: 'One of the name servers of a zone does not serve it.',
  why: 'Questions to it are lost and asked again elsewhere, which visitors feel as waiting; when the others fail too, nothing works.',
  source: 'RFC 1912 §2.8 (lame delegations)',
  messages: {
    silent: {
      message: '{server} ({address}), a name server of {zone}, gives no answer: {reason}.',
      remedy: 'Start it, or take it out of the NS records of {zone} and out of the delegation.',
    },
    lame: {
      message: '{server} ({address}) is named as a name server of {zone}, but does not serve it: {reason}.',
      remedy: 'Set the zone up there, or take the server out of the NS records and out of the delegation.',
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
  summary: 'The zone above leads to other name servers than the zone itself names.',
  why: 'Resolvers follow now one list and now the other; a server that was given up may still be asked.',
  source: 'RFC 1912 §2.3; RFC 1034 §4.2.2',
  messages: {
    differ: {
      message: 'The zone above {zone} leads to {parent}; the zone itself names {own}.',
      remedy: 'Make both lists the same: at your registrar, or in the NS records of {zone}.',
    },
  },
});

export const cached = card({
  id: 'dns-cached',
  severity: 'warning',
  summary: 'The zone is right, but a resolver still remembers an older answer.',
  why: 'Visitors behind that resolver get the old answer until its time is over. Nothing but waiting helps.',
  source: 'RFC 2308 §5 (negative answers); RFC 1035 §3.2.1 (TTL)',
  messages: {
    no: {
      message: 'The resolver {resolver} still remembers that {names} does not exist, for up to {time}.',
      remedy: 'Wait; mile-marker dns check --watch tells when it is over.',
    },
    old: {
      message: 'The resolver {resolver} still remembers {found} for {names}, for up to {time}.',
      remedy: 'Wait; mile-marker dns check --watch tells when it is over.',
    },
  },
});

export const wild = card({
  id: 'dns-wildcard-answers',
  severity: 'note',
  summary: 'A wildcard record answers for names that are not on the map.',
  why: 'A mistyped name leads somewhere instead of nowhere. At a front that refuses strangers that is harmless.',
  source: 'RFC 4592 §2.2',
  messages: {
    front: {
      message: 'A wildcard record of {domain} leads every name to the front, also names that are not on the map.',
      remedy:
        'Nothing, if it is meant so: write style: wildcard under `dns` in the map. Else remove the record *.{domain}.',
    },
    elsewhere: {
      message: 'A wildcard record of {domain} leads every other name to {found}, which is not your front.',
      remedy: 'Remove the record *.{domain}, unless somebody needs it.',
    },
  },
});

export const recordCards = [noZone, dangling, disagree, serverBad, delegation, cached, wild];
