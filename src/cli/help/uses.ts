/**
 * How a command is used, for `--help` and the man page.
 *
 * @property examples command lines without the program's name, and what each is for
 * @property well what exit code 0 says @property wrong the same of 1; null where there is none
 * @property unable the same of 3; null where it is the common one @property interrupted the same of 130, where it says more than that
 */
export interface Uses {
  examples: ReadonlyArray<readonly [line: string, purpose: string]>;
  well: string;
  wrong: string | null;
  unable?: string;
  interrupted?: string;
}

const changed = 'the map is changed';

/** By the words of the command. Groups, which only list what is in them, have no exit codes of their own. */
export const uses: Readonly<Record<string, Uses>> = {
  init: {
    examples: [
      ['init --domain saltmarsh.example --address 203.0.113.24', 'a first map in this folder'],
      ['init --domain saltmarsh.example --address 203.0.113.24 --from containers', 'with what runs'],
    ],
    well: 'the map is written',
    wrong: null,
  },
  survey: {
    examples: [
      ['survey', 'what runs, and which road leads there'],
      ['survey --add', 'propose a road for each service without one'],
    ],
    well: 'everything was asked',
    wrong: null,
    unable: 'the engine or a Compose file could not be read, so the list may be short',
  },
  add: {
    examples: [
      ['add nestcam nestcam:3000', 'only your home networks pass'],
      ['add tides tide-tables:8000 --open', 'everyone passes'],
    ],
    well: changed,
    wrong: null,
  },
  set: {
    examples: [
      ['set nestcam gate everyone', 'open a road to everyone'],
      ['set roster body-limit --unset', 'take a key out again'],
      ['set front.home 192.168.64.10', 'a key of the front, by its path'],
      ['set nestcam,tides gate home', 'of several roads at once'],
      ['set --all gate home', 'of every road'],
    ],
    well: changed,
    wrong: null,
  },
  remove: {
    examples: [
      ['remove tides', 'by its short name'],
      ['remove sightings.reedbed.example', 'by its full name'],
    ],
    well: changed,
    wrong: null,
  },
  pause: {
    examples: [
      ['pause nestcam', 'at once, where `install` brought the front live'],
      ['pause nestcam --no-reload', 'with the next installation'],
    ],
    well: changed,
    wrong: 'the map is changed and cannot go live as it is',
  },
  resume: {
    examples: [
      ['resume nestcam', 'at once, where `install` brought the front live'],
      ['resume nestcam --no-reload', 'with the next installation'],
    ],
    well: changed,
    wrong: 'the map is changed and cannot go live as it is',
  },
  roads: {
    examples: [
      ['roads', 'the map as a table'],
      ['roads --why', 'how each address was found, and what `home` means here'],
    ],
    well: 'the map could be read',
    wrong: null,
  },
  check: {
    examples: [
      ['check', 'before you write or install'],
      ['check --installed', 'does the front run what was written last?'],
    ],
    well: 'nothing is wrong, or only less than --fail-on',
    wrong: 'something is wrong',
    unable: 'the engine could not be asked, and nothing else is wrong',
  },
  explain: {
    examples: [
      ['explain https://roster.saltmarsh.example/ --from 198.51.100.7', 'as a stranger on the internet'],
      ['explain --all', 'what is open to whom'],
    ],
    well: 'the request was explained, whatever the answer is',
    wrong: null,
  },
  'certs list': {
    examples: [
      ['certs', 'names, expiry, roads'],
      ['certs list --json', 'the same for a program'],
    ],
    well: 'they are listed',
    wrong: null,
  },
  'certs make': {
    examples: [
      ['certs make', 'practice certificates for every name'],
      ['certs make --no-reload', 'without making them live'],
    ],
    well: 'every name has one',
    wrong: null,
  },
  'certs obtain': {
    examples: [
      ['certs obtain', 'those that are missing'],
      ['certs obtain visitors', 'this one, even if it is stored already'],
    ],
    well: 'all were obtained',
    wrong: null,
    unable: 'some were not; the next run continues from there',
  },
  'certs renew': {
    examples: [
      ['certs renew', 'those that are due'],
      ['certs renew visitors', 'this one, due or not'],
    ],
    well: 'nothing is due now',
    wrong: null,
    unable: 'some were not renewed; the next run tries again',
  },
  'certs import': {
    examples: [
      ['certs import saltmarsh.pem saltmarsh.key', 'PEM files in any order'],
      ['certs import saltmarsh.p12', 'PKCS#12; it asks for the password'],
    ],
    well: 'it is stored',
    wrong: null,
  },
  'certs export': {
    examples: [
      ['certs export visitors --to /srv/mail/marsh.pem', 'a copy, and a new one after each renewal'],
      [
        'certs export visitors --to /srv/mail/marsh.pem --then /usr/local/bin/reload-mail',
        'and a program to run each time',
      ],
    ],
    well: 'the copies are there',
    wrong: null,
  },
  'people add': {
    examples: [
      ['people add edda --gate wardens', 'asks for the password'],
      ['people add edda --gate wardens --generate', 'generates one and shows it once'],
    ],
    well: 'the password holds',
    wrong: null,
  },
  'devices add': {
    examples: [
      ['devices add phone --gate keepers', 'writes phone.p12 and shows its password once'],
      ['devices add phone --days 365 --modern', 'for a year, for newer systems'],
    ],
    well: 'the device has a certificate',
    wrong: null,
  },
  'devices renew': {
    examples: [
      ['devices renew phone', 'before its certificate ends'],
      ['devices renew phone --out new-phone.p12', 'into another file'],
    ],
    well: 'the device has a new certificate',
    wrong: null,
  },
  'devices remove': {
    examples: [
      ['devices remove phone', 'refused from the next connection on'],
      ['devices remove phone --map site.yaml', 'of another map'],
    ],
    well: 'the device is removed',
    wrong: null,
  },
  'devices list': {
    examples: [
      ['devices list', 'with the gates that let each pass'],
      ['devices list --json', 'for a program'],
    ],
    well: 'it is printed',
    wrong: null,
  },
  'people remove': {
    examples: [
      ['people remove edda --gate wardens', 'from one gate'],
      ['people remove edda', 'where only one gate has people'],
    ],
    well: 'that person can no longer log in',
    wrong: null,
  },
  'people list': {
    examples: [
      ['people list', 'of every gate'],
      ['people list --gate wardens', 'of one'],
    ],
    well: 'they are listed',
    wrong: null,
  },
  'people check': {
    examples: [
      ['people check edda --gate wardens', 'asks for the password'],
      ['people check edda', 'where only one gate has people'],
    ],
    well: 'it is right',
    wrong: 'it is not',
  },
  'dns records': {
    examples: [
      ['dns records', 'to enter at your DNS provider'],
      ['dns records --view home', 'those of your own resolver at home'],
    ],
    well: 'they are listed',
    wrong: null,
  },
  'dns check': {
    examples: [
      ['dns check', 'every name at every name server'],
      ['dns check nestcam', 'one road'],
    ],
    well: 'every server says what it should',
    wrong: 'one does not',
  },
  'dns publish': {
    examples: [
      ['dns publish', 'shows the difference, and asks'],
      ['dns publish --dry-run', 'only the difference'],
    ],
    well: 'the zones say what they should',
    wrong: null,
    interrupted: 'interrupted; `dns undo` undoes what was sent',
  },
  'dns undo': {
    examples: [
      ['dns undo', 'shows the difference, and asks'],
      ['dns undo --yes', 'without asking'],
    ],
    well: 'the zones are as they were',
    wrong: null,
  },
  'dns update-address': {
    examples: [
      ['dns update-address', 'now'],
      ['schedule address', 'the timer that does it'],
    ],
    well: 'the record is right',
    wrong: null,
  },
  write: {
    examples: [
      ['write --diff', 'only how the files would change'],
      ['write --proxy builtin --diff', 'what another proxy would change for visitors'],
    ],
    well: 'it is written, or nothing had changed',
    wrong: 'the map has errors, and nothing was written',
  },
  serve: {
    examples: [
      ['serve', 'until Ctrl-C'],
      ['serve --map /etc/mile-marker/mile-marker.yaml', 'another map'],
    ],
    well: 'it was told to end',
    wrong: null,
  },
  follow: {
    examples: [
      ['follow', 'until Ctrl-C'],
      ['install follow', 'started with the machine'],
    ],
    well: 'it was told to end',
    wrong: null,
  },
  rehearse: {
    examples: [
      ['rehearse', 'only requests that went wrong'],
      ['rehearse --all', 'how many requests each road got, and the answers'],
      ['rehearse --verbose', 'every request with its answer'],
    ],
    well: 'every request was answered as the map says',
    wrong: 'some did not',
    unable: 'this machine cannot rehearse; try --on-loopback',
  },
  install: {
    examples: [
      ['install', 'the front: shows the changes, asks, goes back if a road got worse'],
      ['install timers', 'renewal and a nightly test'],
    ],
    well: 'it is live, or was already',
    wrong: 'it is not: errors, a failed rehearsal, or a road that got worse',
  },
  undo: {
    examples: [
      ['undo front', 'back to the previous edition'],
      ['undo front 3 --yes', 'back to edition 3, without asking'],
    ],
    well: 'it is undone',
    wrong: null,
  },
  editions: {
    examples: [
      ['editions', 'what was written and what happened to it'],
      ['editions --json', 'the same for a program'],
    ],
    well: 'they are listed',
    wrong: null,
  },
  verify: {
    examples: [
      ['verify', 'every road, by what DNS says'],
      ['verify nestcam --at 192.168.64.10', 'one road, at an address that DNS does not have yet'],
    ],
    well: 'nothing is wrong, or only less than --fail-on',
    wrong: 'something is wrong',
    unable: 'nothing could be tested completely',
    interrupted: 'interrupted; the results so far are shown',
  },
  report: {
    examples: [
      ['report', 'report.html in this folder'],
      ['report --svg roads.svg', 'only the drawing'],
    ],
    well: 'the page is written, whatever it shows',
    wrong: null,
  },
  schedule: {
    examples: [
      ['schedule', 'a timer that renews certificates'],
      ['schedule verify --out /etc/systemd/system', 'the units of a test each night'],
    ],
    well: 'it is printed, or written',
    wrong: null,
  },
  demo: {
    examples: [
      ['demo', 'shows everything, then cleans up'],
      ['demo --keep', 'keeps running, to look around'],
    ],
    well: 'everything worked',
    wrong: 'it did not',
  },
  completion: {
    examples: [
      ['completion bash', 'a script for your shell'],
      ['completion zsh', 'the same for zsh'],
    ],
    well: 'it is printed',
    wrong: null,
  },
};
