import { card } from '../../findings/card.ts';

export const serverErrors = 'RFC 9110 §15.6 (server errors), §7.6 (message forwarding)';

export const frontCannotReach = card({
  id: 'front-cannot-reach-service',
  severity: 'error',
  summary: 'The service works, but the front does not get its answer.',
  why: 'The service answers when asked directly. The front uses another address, or runs an older configuration.',
  source: `${serverErrors}; RFC 8297 (early hints)`,
  explains: ['websocket-not-passed', 'hsts-not-sent', 'method-not-refused', 'rate-not-kept'],
  messages: {
    error: {
      message:
        '{names}: the front answers {status} by itself, but {upstream} answers {direct} when asked directly.{log}',
      remedy: "Read the front's error log to see what it dials. Make the map live: {live}",
    },
    head: {
      message:
        '{names}: {upstream} sends headers that are longer than the front accepts, so the front answers {status}.{log}',
      remedy:
        'The configuration that Mile Marker writes accepts them: {live}. In hand-written files, raise the limit{longHeads}.',
    },
    name: {
      message: '{names}: the front cannot look up the name by which it dials the service, and answers {status}.{log}',
      remedy:
        'Container names exist only inside their network. The front should dial {upstream}. Make the map live: {live}',
    },
    denied: {
      message: '{names}: this machine does not let the front connect to {dialled}, so it answers {status}.{log}',
      remedy: 'See what forbids it: journalctl -k. With SELinux: setsebool -P httpd_can_network_connect 1',
    },
    plain: {
      message: '{names}: the front speaks HTTPS to {dialled}, but the handshake fails, so it answers {status}.{log}',
      remedy: 'On the map the service is {upstream}. Make the map live: {live}',
    },
    dials: {
      message: '{names}: the front dials {dialled}, where nothing answers. The service is on {upstream}.{log}',
      remedy: 'Make the map live: {live}',
    },
    hints: {
      message: '{names}: {upstream} sends early hints (103) before its answer, and the front does not support them.',
      remedy: 'Switch early hints off in the service, or write `proxy: builtin` in the map{earlyHints}.',
    },
    late: {
      message:
        '{names}: the front answers {status} because the service took too long. Asked directly, {upstream} answers {direct}.{log}',
      remedy:
        'If the service is slow, give the road a longer `timeout` in the map. If it is quick, the front dials another address. Make the map live: {live}',
    },
    itself: {
      message:
        '{names}: the front answers {status} by itself and does not ask the service, which answers {direct}.{log}',
      remedy: 'Another server block for this name answers, or an older configuration. Make the map live: {live}',
    },
    refuses: {
      message:
        '{names}: the front itself refuses ({status}) requests that the map allows. The service answers {direct}.{log}',
      remedy:
        'If the refusal is meant, write it on the map: a `gate`, or `paused: true`. If not, remove it from the hand-written files. Mile Marker’s configuration lets visitors in: {live}',
    },
    unencrypted: {
      message: '{names}: the front speaks plain HTTP to a service that wants HTTPS, so visitors get {status}.{log}',
      remedy:
        'On the map the service is {upstream}. In hand-written files, use this address. Mile Marker’s configuration does: {live}',
    },
    broken: {
      message: '{names}: the front breaks off: {reason}.{log}',
      remedy: "Read the front's error log, then make the map live: {live}",
    },
    silent: {
      message: '{names}: the front does not answer ({reason}). Asked directly, {upstream} answers {direct}.{log}',
      remedy: "Read the front's error log to see what it dials. Make the map live: {live}",
    },
    cut: {
      message:
        '{names}: the front starts to answer and breaks off ({reason}). Asked directly, {upstream} sends all of it.{log}',
      remedy: "Look for a full disk (df -h), and for a limit of size or time in the front's error log.",
    },
    empty: {
      message: '{names}: the front answers {status} with an empty page. Asked directly, {upstream} sends a page.{log}',
      remedy: 'A rule in the front answers instead of the service. Make the map live: {live}',
    },
  },
});
