import { card } from '../findings/card.ts';

/** What a front makes of a request, or of an answer, that it should pass on as it is. */

export const altersRequest = card({
  id: 'front-alters-request',
  severity: 'error',
  summary: 'The front asks the service for something else than visitors do.',
  why: "The service works, and visitors get an error, somebody else's page, or an address of the inside.",
  source: 'RFC 9110 §7.2 (Host), §7.6 (message forwarding), §4.2.3',
  explains: ['redirect-shows-inside', 'redirect-loop', 'websocket-not-passed', 'hsts-not-sent'],
  messages: {
    host: {
      message:
        '{names}: the front tells the service that it is asked for as {sent}, so it answers otherwise ({status}) than by its own name ({direct}).',
      remedy:
        'In files made by hand, pass on the Host that was asked for{passHost}. The written configuration does: {live}',
    },
    path: {
      message: '{names}: visitors ask for {asked}, and the front asks {upstream} for {got}.',
      remedy: 'In files made by hand, pass on the path as it came{passPath}. The written configuration does: {live}',
    },
    escapes: {
      message:
        '{names}: visitors ask for {asked}, and the front asks {upstream} for {got}, which is written otherwise.',
      remedy:
        'Names with a plus or a slash in them get lost. In files made by hand, pass on the path as it came{passPath}. The written configuration does: {live}',
    },
    query: {
      message: '{names}: visitors ask for {asked}, and the front asks {upstream} for {got}, without the query.',
      remedy: 'In files made by hand, pass on the query as it came{passPath}. The written configuration does: {live}',
    },
    status: {
      message:
        '{names}: the front answers {status}, and {upstream} answers {direct} when it is asked directly. Something cuts the path or adds to it, or sends another Host.',
      remedy:
        'In files made by hand, pass on the path and the Host as they came{passPath}. The written configuration does: {live}',
    },
    deep: {
      message:
        '{names}: the front passes on the first page only. It answers {status} to {target} by itself, where {upstream} answers {direct}.',
      remedy: 'In files made by hand, pass on every path below it{passPath}. The written configuration does: {live}',
    },
  },
});

export const oldCopy = card({
  id: 'front-shows-old-copy',
  severity: 'warning',
  summary: 'The front shows an old copy of a page instead of what the service answers now.',
  why: 'What one visitor got is shown to others, and changes stay unseen.',
  source: 'RFC 9111 §4.2 (freshness), RFC 9110 §8.8.3',
  messages: {
    copy: {
      message: '{names} shows another copy of the page than {upstream} sends now ({signs}).',
      remedy:
        'In files made by hand, switch the cache of the front off. The written configuration keeps no copies: {live}',
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
      remedy: 'In files made by hand, leave Content-Type as it is. The written configuration does: {live}',
    },
  },
});

export const frontHoldsBack = card({
  id: 'front-holds-back',
  severity: 'error',
  summary: 'The front waits for the end of an answer that has none.',
  why: 'Events, logs and pictures that come bit by bit reach visitors late, in heaps, or never.',
  source: 'WHATWG HTML §9.2 (server-sent events); RFC 9110 §7.6',
  explains: ['websocket-not-passed', 'hsts-not-sent'],
  messages: {
    holds: {
      message:
        '{names}: {upstream} sends its answer bit by bit and goes on, and nothing of it comes through the front.',
      remedy:
        'In files made by hand, switch off what gathers answers{buffering}. The written configuration passes on what comes: {live}',
    },
  },
});

export const frontCards = [frontHoldsBack, altersRequest, oldCopy, otherType];
