import { card } from '../../findings/card.ts';

/** What a front makes of a request, or of an answer, that it should pass on as it is. */

export const altersRequest = card({
  id: 'front-alters-request',
  severity: 'error',
  summary: 'The front changes what visitors ask for.',
  why: "The service works, and visitors get an error, somebody else's page, or an internal address.",
  source: 'RFC 9110 §7.2 (Host), §7.6 (message forwarding), §4.2.3',
  explains: ['redirect-shows-inside', 'redirect-loop', 'websocket-not-passed', 'hsts-not-sent'],
  messages: {
    host: {
      message:
        '{names}: the front sends the service the Host {sent}, so it answers differently ({status}) than by its own name ({direct}).',
      remedy:
        'In hand-written files, pass on the Host that was asked for{passHost}. Mile Marker’s configuration does: {live}',
    },
    path: {
      message: '{names}: visitors ask for {asked}, and the front asks {upstream} for {got}.',
      remedy: 'In hand-written files, pass on the path as it came{passPath}. Mile Marker’s configuration does: {live}',
    },
    escapes: {
      message:
        '{names}: visitors ask for {asked}, and the front asks {upstream} for {got}, which is spelled differently.',
      remedy:
        'Files with a plus or a slash in their name cannot be found. In hand-written files, pass on the path as it came{passPath}. Mile Marker’s configuration does: {live}',
    },
    query: {
      message: '{names}: visitors ask for {asked}, and the front asks {upstream} for {got}, without the query.',
      remedy: 'In hand-written files, pass on the query as it came{passPath}. Mile Marker’s configuration does: {live}',
    },
    status: {
      message:
        '{names}: the front answers {status}, and {upstream} answers {direct} when it is asked directly. Something cuts the path or adds to it, or sends another Host.',
      remedy:
        'In hand-written files, pass on the path and the Host as they came{passPath}. Mile Marker’s configuration does: {live}',
    },
    deep: {
      message:
        '{names}: the front passes on the first page only. It answers {status} to {target} by itself, where {upstream} answers {direct}.',
      remedy: 'In hand-written files, pass on every path below it{passPath}. Mile Marker’s configuration does: {live}',
    },
  },
});

export const oldCopy = card({
  id: 'front-shows-old-copy',
  severity: 'warning',
  summary: 'The front shows an old copy of a page instead of what the service answers now.',
  why: 'Visitors see old pages, or pages made for somebody else.',
  source: 'RFC 9111 §4.2 (freshness), RFC 9110 §8.8.3',
  messages: {
    copy: {
      message: '{names} shows another copy of the page than {upstream} sends now ({signs}).',
      remedy:
        'In hand-written files, switch the cache of the front off. Mile Marker’s configuration keeps no copies: {live}',
    },
  },
});

export const otherType = card({
  id: 'front-changes-type',
  severity: 'warning',
  summary: 'The front sends the page of the service under another Content-Type.',
  why: 'A browser shows the source instead of the page, or offers it as a download.',
  source: 'RFC 9110 §8.3',
  messages: {
    type: {
      message: '{names} sends the page as {found}, and {upstream} sends it as {wanted}.',
      remedy: 'In hand-written files, leave Content-Type as it is. Mile Marker’s configuration does: {live}',
    },
  },
});

export const frontHoldsBack = card({
  id: 'front-holds-back',
  severity: 'error',
  summary: 'The front holds back an answer that never ends.',
  why: 'Events, logs and camera pictures reach visitors late, in batches, or never.',
  source: 'WHATWG HTML §9.2 (server-sent events); RFC 9110 §7.6',
  explains: ['websocket-not-passed', 'hsts-not-sent'],
  messages: {
    holds: {
      message: '{names}: {upstream} streams its answer, but none of it comes through the front.',
      remedy:
        'In hand-written files, switch off buffering{buffering}. Mile Marker’s configuration passes on every part at once: {live}',
    },
  },
});

export const frontCards = [frontHoldsBack, altersRequest, oldCopy, otherType];
