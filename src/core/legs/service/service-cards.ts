import { card } from '../../findings/card.ts';
import { frontCannotReach, serverErrors } from '../passing/front-reach-card.ts';

const source = serverErrors;

export const serviceDown = card({
  id: 'service-down',
  severity: 'error',
  summary: 'Nothing answers at the service of a road.',
  why: 'The front works, but there is nothing behind it.',
  source,
  explains: ['websocket-not-passed', 'hsts-not-sent', 'method-not-refused', 'rate-not-kept'],
  messages: {
    nowhere: {
      message: '{names}: the front answers {status}, and it is not known where the service is: {why}.',
      remedy: 'See what to change: mile-marker check',
    },
    refused: {
      message: '{names}: nothing listens on {upstream}, where the service should be ({why}).',
      remedy: 'If it runs, compare its ports with the map. If not, start it: {startService}',
    },
    'refused-port': {
      message: '{names}: nothing listens on {upstream}, where the service should be ({why}).',
      remedy:
        'Start the service, or correct the port in the map. See what listens on this machine: mile-marker survey --ports',
    },
    silent: {
      message: '{names}: {upstream} accepts the connection and then sends nothing.',
      remedy: 'Read the log of the service. It may still be starting, or it hangs.',
    },
    broken: {
      message: '{names}: {upstream} does not speak HTTP: {reason}.',
      remedy: 'Check the port in the map. If the service speaks HTTPS, write `to: https://{upstream}`.',
    },
    closed: {
      message: '{names}: {upstream} accepts connections and closes them at once.',
      remedy:
        'The port is published, but nothing listens on it inside the container. In the map write the port on which the service listens there.',
    },
    cut: {
      message: '{names}: {upstream} starts to answer and breaks off: {reason}.',
      remedy: 'Read the log of the service. It breaks off without the front too.',
    },
    'speaks-https': {
      message: '{names}: {upstream} speaks HTTPS, and the front talks plain HTTP to it.',
      remedy: 'Write `to: https://{upstream}` in the map.',
    },
    'speaks-http': {
      message: '{names}: {upstream} speaks plain HTTP, and the front talks HTTPS to it.',
      remedy: 'Write `to: http://{upstream}` in the map.',
    },
  },
});

export const wrongService = card({
  id: 'wrong-service',
  severity: 'error',
  summary: "A name shows another road's service, or the server's own welcome page.",
  why: 'Nothing fails, so only visitors notice.',
  source: 'RFC 9110 §7.2: the host asked for decides',
  explains: ['websocket-not-passed', 'hsts-not-sent', 'method-not-refused', 'rate-not-kept'],
  messages: {
    other: {
      message: '{names} shows the service of {other} instead of its own on {upstream}.',
      remedy: 'Compare the two roads in the map: one may be a copy of the other. Then make the map live: {live}',
    },
    welcome: {
      message: '{names} shows the welcome page of a freshly installed server.',
      remedy:
        'Mile Marker’s configuration is not in use. Remove the default site{defaultSite}, then make the map live: {live}',
    },
    page: {
      message:
        '{names} shows a page titled "{shown}". Its service on {upstream}, asked directly, shows one titled "{wanted}".',
      remedy:
        'Open it in a browser. If it is not the service, make the map live: {live}. If both are, name a text of its page under `expect` in the map.',
    },
    listing: {
      message: '{names} shows a list of the files in a folder instead of its service on {upstream}.',
      remedy: 'In hand-written files, let this name lead to the service. Mile Marker’s configuration does: {live}',
    },
  },
});

export const serviceFails = card({
  id: 'service-fails',
  severity: 'warning',
  summary: 'A service answers with an error of its own.',
  why: 'The front passes the answer on correctly. Visitors see an error.',
  source,
  messages: {
    fails: {
      message: '{names}: the service on {upstream} itself answers {status}{quoted}.',
      remedy: 'Read the log of the service. If this answer is right, write in the map: `expect: {status: {status}}`',
    },
  },
});

export const serviceUnclear = card({
  id: 'service-unclear',
  severity: 'note',
  summary: 'It is not clear whether the right service answers.',
  why: 'Mile Marker does not guess. A road that is unsure needs one look from you.',
  source,
  messages: {
    nowhere: {
      message: '{names} answers {status}. It is not known where its service is, so there is nothing to compare: {why}.',
      remedy: 'See what to change: mile-marker check',
    },
    hidden: {
      message: '{names}: it is not known where its service is, so it cannot be tested behind its gate: {why}.',
      remedy: 'See what to change: mile-marker check',
    },
    'not-asked': {
      message:
        '{names} answers {status}. The service itself cannot be asked from here ({reason}), so there is nothing to compare.',
      remedy: 'Run this on the machine that runs the services: mile-marker verify',
    },
    alike: {
      message:
        'The services of these roads show the same page, so it is not certain that each name leads to its own: {same}.',
      remedy:
        'Open each in a browser once. To make it certain from now on, write a text of each page under `expect` in the map.',
    },
    differs: {
      message:
        '{names} answers {status}, and its service on {upstream} answers {direct} with another page when asked directly.',
      remedy:
        'Open it in a browser once: the page may change at every visit. To make it certain from now on, write a text of its page under `expect` in the map.',
    },
    bare: {
      message: '{names} answers {status} as its service does, but the page is too short to recognise.',
      remedy:
        'Open it in a browser once. To make it certain from now on, write a text of its page under `expect` in the map.',
    },
  },
});

export const showsInside = card({
  id: 'redirect-shows-inside',
  severity: 'warning',
  summary: 'A service sends visitors to an internal address, or back to plain HTTP.',
  why: 'That address does not work from outside, and it shows strangers how your network is built.',
  source: 'RFC 9110 §10.2.2',
  messages: {
    inside: {
      message: '{names} redirects to {location}, an internal address.',
      remedy: "Set the public URL in the service's own settings: {origin}",
    },
    port: {
      message: '{names} redirects to {location}, on a port that visitors do not use.',
      remedy: "Set the public URL in the service's own settings: {origin}",
    },
    page: {
      message: 'The page of {names} leads to {location}, an internal address.',
      remedy: "Set the public URL in the service's own settings: {origin}",
    },
    'plain-page': {
      message: 'The page of {names} leads to {location}, in clear text.',
      remedy: "In the service's own settings set its public URL to {origin}, or let it trust X-Forwarded-Proto.",
    },
    plain: {
      message: '{names} redirects to {location}, in clear text.',
      remedy: "In the service's own settings set its public URL to {origin}, or let it trust X-Forwarded-Proto.",
    },
  },
});

export const notTold = card({
  id: 'service-refuses-proxy',
  severity: 'error',
  summary: 'A service refuses requests that come through a proxy, or by its public name.',
  why: 'By address and port it works. It only does not know its public name or its proxy.',
  source: 'RFC 7239 §8.1 (whom to believe); RFC 9110 §7.2',
  explains: ['websocket-not-passed'],
  messages: {
    proxy: {
      message:
        '{names}: the service answers {status} to requests through a proxy, and {plainly} without the headers about the visitor.',
      remedy: "In the service's own settings add the front to its trusted proxies. The front comes from {proxy}.",
    },
    name: {
      message: '{names}: the service answers {status} to its public name, and {byAddress} to its own address.',
      remedy:
        "In the service's own settings set its public URL to {origin}, or add {names} to the hosts that it allows.",
    },
  },
});

export const cookieOpen = card({
  id: 'cookie-not-secure',
  severity: 'warning',
  summary: 'A service sets a cookie that browsers will also send in clear text.',
  why: 'Anyone who overhears one plain request can take over the session. Programs leave out `Secure` when they do not know that they are behind HTTPS.',
  source: 'RFC 6265 §4.1.2.5',
  messages: {
    session: {
      message: '{names} sets {cookies} without `Secure`.',
      remedy:
        "In the service's own settings set its public URL to {origin}, or let it trust X-Forwarded-Proto. Many have a setting for secure cookies, too.",
    },
  },
});

export const roadRedirectWrong = card({
  id: 'road-redirect-wrong',
  severity: 'error',
  summary: 'A redirect goes to another place than on the map.',
  why: 'The front runs another configuration than this map.',
  source: 'RFC 9110 §15.4',
  messages: {
    elsewhere: {
      message: 'https://{names} answers {status} to {found}, but should redirect to {expected}.',
      remedy: 'Make the map live: {live}',
    },
  },
});

export const pauseIgnored = card({
  id: 'pause-ignored',
  severity: 'error',
  summary: 'A road that is paused on the map still answers.',
  why: 'You switched it off, but visitors still reach it.',
  source: 'RFC 9110 §15.6.4',
  explains: ['hsts-not-sent'],
  messages: {
    answers: {
      message: '{names} is paused on the map, but the front answers {status}.',
      remedy: 'Make the map live: {live}',
    },
  },
});

export const expectUnmet = card({
  id: 'expectation-unmet',
  severity: 'error',
  summary: 'A road does not give the answer that the map expects.',
  why: 'Your own test on the map, `expect`, fails.',
  source: 'map reference: `expect`',
  messages: {
    status: {
      message: 'https://{names}{path} answers {found}, but the map expects {wanted}.',
      remedy: 'Read the log of the service, or correct `expect.status` in the map.',
    },
    nothing: {
      message: 'https://{names}{path} answers {found}, but the map expects to find something there.',
      remedy: 'Read the log of the service, or correct `expect` in the map: its `path`, or the `status` that is right.',
    },
    text: {
      message: 'https://{names}{path} does not contain the text that the map expects: {wanted}',
      remedy: 'Open the page, then correct the service or `expect.text` in the map.',
    },
  },
});

export const folderEmpty = card({
  id: 'folder-no-page',
  severity: 'error',
  summary: 'A folder road has no index page.',
  why: 'Visitors of the start page see an error.',
  source: 'map reference',
  messages: {
    'no-page': {
      message: 'https://{names} shows a folder, but answers {status} at its start page.',
      remedy: 'Put an index.html into the folder, and see whether the proxy may read it: mile-marker check',
    },
  },
});

export const serviceCards = [
  expectUnmet,
  folderEmpty,
  serviceDown,
  frontCannotReach,
  wrongService,
  serviceFails,
  serviceUnclear,
  pauseIgnored,
  showsInside,
  notTold,
  cookieOpen,
  roadRedirectWrong,
];
