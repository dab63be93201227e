import { card } from '../findings/card.ts';

const source = 'RFC 9110 §15.6 (server errors), §7.6 (message forwarding)';

export const serviceDown = card({
  id: 'service-down',
  severity: 'error',
  summary: 'The service behind a road cannot be reached at all.',
  why: 'The front works, but has nothing to pass on.',
  source,
  explains: ['websocket-not-passed', 'hsts-not-sent', 'method-not-refused', 'rate-not-held'],
  messages: {
    refused: {
      message: '{names}: nothing listens on {upstream}, where the service should be ({why}).',
      remedy: 'Start the service: docker compose up -d {service}. If it runs, compare its ports with the map.',
    },
    'refused-port': {
      message: '{names}: nothing listens on {upstream}, where the service should be ({why}).',
      remedy: 'Start the service, or mend the port in the map.',
    },
    silent: {
      message: '{names}: {upstream} takes the connection and says nothing.',
      remedy: 'Look at the log of the service; it may still be starting, or hang.',
    },
    broken: {
      message: '{names}: {upstream} does not speak HTTP: {reason}.',
      remedy: 'Check the port. If the service speaks HTTPS, write `to: https://...`.',
    },
    closed: {
      message: '{names}: {upstream} takes connections and closes them without a word.',
      remedy:
        'The port is published, and inside nothing listens on it: compare the port in the map with the one on which the service listens in its container.',
    },
    cut: {
      message: '{names}: {upstream} begins an answer and breaks off: {reason}.',
      remedy: 'Look at the log of the service; asked directly it breaks off as well.',
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

export const frontCannotReach = card({
  id: 'front-cannot-reach-service',
  severity: 'error',
  summary: 'The service answers, but not to the front.',
  why: 'Asked directly the service is there; the front dials another address, or its configuration is an older one.',
  source: `${source}; RFC 8297 (early hints)`,
  explains: ['websocket-not-passed', 'hsts-not-sent', 'method-not-refused', 'rate-not-held'],
  messages: {
    error: {
      message:
        '{names}: {upstream} answers {direct} when asked directly, and the front answers {status} by itself.{log}',
      remedy: "Bring the newest map live. If it is, look at the front's error log for what it dials.",
    },
    head: {
      message:
        '{names}: the header lines with which {upstream} answers are longer than the front takes, so it answers {status}.{log}',
      remedy:
        'Let the front take longer ones (nginx: `proxy_buffer_size 32k; proxy_buffers 8 32k;`); the configuration that Mile Marker writes does.',
    },
    name: {
      message: '{names}: the front dials the service by a name that it cannot look up, and answers {status}.{log}',
      remedy:
        'Names of containers are known inside their network alone: let the front dial {upstream}; bring the newest map live.',
    },
    denied: {
      message: '{names}: the front is not allowed to connect to {dialled}, and answers {status}.{log}',
      remedy:
        'The rules of this machine forbid it. With SELinux: setsebool -P httpd_can_network_connect 1. Else see: journalctl -k',
    },
    plain: {
      message:
        '{names}: the front speaks HTTPS to {dialled}, with which no handshake comes about; it answers {status}.{log}',
      remedy: 'Let the front dial the service as the map has it, on {upstream}: bring the newest map live.',
    },
    dials: {
      message: '{names}: the front dials {dialled}, where nothing answers; the service is on {upstream}.{log}',
      remedy: 'Let the front dial {upstream}: bring the newest map live.',
    },
    hints: {
      message:
        '{names}: {upstream} sends early hints (103) before its answer, as it does when asked directly, and the front waits for another answer that never comes.',
      remedy:
        'Switch early hints off in the service, or use a front that reads past them: `proxy: builtin`. nginx 1.22 does not.',
    },
    late: {
      message:
        '{names}: the front answers {status}, since its service took too long; asked directly {upstream} answers {direct}.{log}',
      remedy:
        'Give the road a longer `timeout` in the map. If the service is quick, the front dials another address: bring the newest map live.',
    },
    itself: {
      message:
        '{names}: the front answers {status} by itself and does not ask the service, which answers {direct}.{log}',
      remedy: 'Another definition of the name answers, or an older one: bring the newest map live.',
    },
    broken: {
      message: '{names}: the front breaks off: {reason}.{log}',
      remedy: "Look at the front's error log.",
    },
    silent: {
      message: '{names}: the front gives no answer ({reason}); asked directly {upstream} answers {direct}.{log}',
      remedy: "Look at the front's error log for what it dials; bring the newest map live.",
    },
    cut: {
      message:
        '{names}: the front begins an answer and breaks off ({reason}); asked directly {upstream} gives the whole of it.{log}',
      remedy: 'Look at what the front holds back: a full disk for its temporary files, a limit of size or time.',
    },
    empty: {
      message: '{names}: the front answers {status} with nothing in it; asked directly {upstream} gives a page.{log}',
      remedy: 'Look for something in the front that answers in place of the service, and bring the newest map live.',
    },
  },
});

export const wrongService = card({
  id: 'wrong-service',
  severity: 'error',
  summary: 'A name shows the service of another road, or a page of the server itself.',
  why: 'Nothing fails, so nobody notices, except the visitors.',
  source: 'RFC 9110 §7.2: the host asked for decides',
  explains: ['websocket-not-passed', 'hsts-not-sent', 'method-not-refused', 'rate-not-held'],
  messages: {
    other: {
      message: '{names} shows what {other} shows, and not its own service on {upstream}.',
      remedy:
        'Compare the two roads in the map; one was perhaps copied from the other. Then bring the newest map live.',
    },
    welcome: {
      message: '{names} shows the welcome page of a freshly installed server.',
      remedy: 'Another configuration answers for this name: enable the written one and reload.',
    },
  },
});

export const serviceUnclear = card({
  id: 'service-unclear',
  severity: 'note',
  summary: 'It cannot be told whether the right service answers.',
  why: 'An honest "cannot tell" is better than a guess in either direction.',
  source,
  messages: {
    'not-asked': {
      message:
        '{names} answers {status}; the service itself cannot be asked from here ({reason}), so nothing can be compared.',
      remedy: 'Run verify on the machine that runs the services.',
    },
    alike: {
      message: '{names} and {other} answer the same, so either could be behind the name.',
      remedy: 'Look at it once in a browser.',
    },
    differs: {
      message:
        '{names} answers {status}, unlike its service on {upstream}, which answers {direct} when asked directly.',
      remedy: 'Look at it once in a browser; perhaps the page changes at every visit.',
    },
    bare: {
      message: '{names} answers {status} as its service does, with too little in it to be sure.',
      remedy: 'Look at it once in a browser.',
    },
  },
});

export const showsInside = card({
  id: 'redirect-shows-inside',
  severity: 'warning',
  summary: 'A service sends visitors to its own inside address, or back to plain HTTP.',
  why: 'From outside that address leads nowhere, and it tells strangers how the inside is built.',
  source: 'RFC 9110 §10.2.2',
  messages: {
    inside: {
      message: '{names} redirects to {location}, an address of the inside.',
      remedy: "Set the public URL in the service's own settings: {origin}",
    },
    port: {
      message: '{names} redirects to {location}, on a port that visitors do not use.',
      remedy: "Set the public URL in the service's own settings: {origin}",
    },
    page: {
      message: 'The page of {names} leads to {location}, an address of the inside.',
      remedy: "Set the public URL in the service's own settings: {origin}",
    },
    'plain-page': {
      message: 'The page of {names} leads to {location}, in clear text.',
      remedy:
        'Tell the service that it is behind HTTPS: set its public URL to {origin}, or let it trust X-Forwarded-Proto.',
    },
    plain: {
      message: '{names} redirects to {location}, in clear text.',
      remedy:
        'Tell the service that it is behind HTTPS: set its public URL to {origin}, or let it trust X-Forwarded-Proto.',
    },
  },
});

export const notTold = card({
  id: 'service-refuses-proxy',
  severity: 'error',
  summary: 'A service refuses what comes through a proxy, or by its public name.',
  why: 'It works by address and port, so the service is well; it has not been told how visitors reach it.',
  source: 'RFC 7239 §8.1 (whom to believe); RFC 9110 §7.2',
  explains: ['websocket-not-passed'],
  messages: {
    proxy: {
      message:
        '{names}: the service answers {status} to what comes through a proxy, and {plainly} to the same without the headers about the visitor.',
      remedy:
        'In the settings of the service name the front as a proxy that it may believe ("trusted proxies"). It comes from {proxy}.',
    },
    name: {
      message:
        '{names}: the service answers {status} to its public name, and {byAddress} when it is asked by its own address.',
      remedy:
        'In the settings of the service enter its public URL, {origin}, or {names} among the hosts that it allows.',
    },
  },
});

export const cookieOpen = card({
  id: 'cookie-not-secure',
  severity: 'warning',
  summary: 'A service sets a cookie that browsers will also send in clear text.',
  why: 'Whoever listens on one plain request has the session. Programs leave `Secure` out when they are not told that they are behind HTTPS.',
  source: 'RFC 6265 §4.1.2.5',
  messages: {
    session: {
      message: '{names} sets {cookies} without `Secure`.',
      remedy:
        'Tell the service that it is behind HTTPS: set its public URL to {origin}, or let it trust X-Forwarded-Proto; many have a setting for secure cookies too.',
    },
  },
});

export const roadRedirectWrong = card({
  id: 'road-redirect-wrong',
  severity: 'error',
  summary: 'A road that redirects leads elsewhere than the map says.',
  why: 'The running configuration is not the one of this map.',
  source: 'RFC 9110 §15.4',
  messages: {
    elsewhere: {
      message: 'https://{names} answers {status} to {found}, and should lead to {expected}.',
      remedy: 'Bring the newest map live.',
    },
  },
});

export const pauseIgnored = card({
  id: 'pause-ignored',
  severity: 'error',
  summary: 'A road that is paused on the map still answers.',
  why: 'You took it off, and it is still there.',
  source: 'RFC 9110 §15.6.4',
  explains: ['hsts-not-sent'],
  messages: {
    answers: {
      message: '{names} is paused on the map, and the front answers {status}.',
      remedy: 'Bring the newest map live: restart mile-marker serve, or write and reload your nginx.',
    },
  },
});

export const expectUnmet = card({
  id: 'expectation-unmet',
  severity: 'error',
  summary: 'What the map expects at the end of a road is not there.',
  why: 'You wrote down how to tell that it works, and it does not.',
  source: 'map reference: `expect`',
  messages: {
    status: {
      message: 'https://{names}{path} answers {found}, and the map expects {wanted}.',
      remedy: 'See what the service says of it, or mend `expect.status`.',
    },
    text: {
      message: 'https://{names}{path} does not hold the text that the map expects: {wanted}',
      remedy: 'See what the page says now, or mend `expect.text`.',
    },
  },
});

export const folderEmpty = card({
  id: 'folder-no-page',
  severity: 'error',
  summary: 'A road that shows a folder has no page to show.',
  why: 'Visitors of the bare name see an error.',
  source: 'map reference',
  messages: {
    'no-page': {
      message: 'https://{names} shows a folder, and answers {status} to the bare name.',
      remedy:
        'Put an index.html into the folder, and let the proxy’s user read it: chmod o+rX, each folder above it too.',
    },
  },
});

export const serviceCards = [
  expectUnmet,
  folderEmpty,
  serviceDown,
  frontCannotReach,
  wrongService,
  serviceUnclear,
  pauseIgnored,
  showsInside,
  notTold,
  cookieOpen,
  roadRedirectWrong,
];
