import { card } from '../findings/card.ts';

const source = 'RFC 9110 §15.6 (server errors), §7.6 (message forwarding)';

export const serviceDown = card({
  id: 'service-down',
  severity: 'error',
  summary: 'The service behind a road cannot be reached at all.',
  why: 'The front works, but has nothing to pass on.',
  source,
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
  source,
  messages: {
    error: {
      message: '{names}: {upstream} answers {direct} when asked directly, and the front answers {status} by itself.',
      remedy: "Bring the newest map live. If it is, look at the front's error log for what it dials.",
    },
    broken: { message: '{names}: the front breaks off: {reason}.', remedy: "Look at the front's error log." },
  },
});

export const wrongService = card({
  id: 'wrong-service',
  severity: 'error',
  summary: 'A name shows the service of another road, or a page of the server itself.',
  why: 'Nothing fails, so nobody notices, except the visitors.',
  source: 'RFC 9110 §7.2: the host asked for decides',
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
  summary: 'A service redirects visitors to its own inside address.',
  why: 'From outside that address leads nowhere, and it tells strangers how the inside is built.',
  source: 'RFC 9110 §10.2.2',
  messages: {
    inside: {
      message: '{names} redirects to {location}, an address of the inside.',
      remedy: "Set the public URL in the service's own settings: {origin}",
    },
    plain: {
      message: '{names} redirects to {location}, in clear text.',
      remedy:
        'Tell the service that it is behind HTTPS: set its public URL to {origin}, or let it trust X-Forwarded-Proto.',
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
  roadRedirectWrong,
];
