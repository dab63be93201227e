/** The commands as the help lists them: in groups, in the order in which one comes to need them, with one line each. */
export const commandGroups: ReadonlyArray<readonly [heading: string, commands: Readonly<Record<string, string>>]> = [
  [
    'The map:',
    {
      init: 'write a first map',
      survey: 'list running services and their ports',
      add: 'add a road',
      set: 'change a key of roads or of the map',
      remove: 'remove a road',
      pause: 'switch a road off for a while',
      resume: 'switch a paused road on again',
    },
  ],
  [
    'Look:',
    {
      roads: 'show the map as a table',
      check: 'find mistakes in the map and on this machine',
      explain: 'show what happens to a request, and why',
      verify: 'test every road from its name to its service',
      report: 'write a page with all roads and test results',
    },
  ],
  [
    'Certificates, people, devices and names:',
    {
      certs: 'list, make, get and renew certificates',
      people: 'manage people who log in with a password',
      devices: 'manage devices that pass by a certificate',
      dns: 'show, check and publish DNS records',
    },
  ],
  [
    'Make it live:',
    {
      write: "write the proxy's configuration",
      rehearse: 'test the written configuration in isolation',
      install: 'make the map live; set up services and timers',
      undo: 'undo an installation',
      editions: 'list what was written and what was live',
    },
  ],
  [
    'Keep it running:',
    {
      serve: "run Mile Marker's own proxy",
      follow: 'keep up with containers that come and go',
      schedule: 'print timers and cron lines',
    },
  ],
  [
    'More:',
    {
      completion: 'print a completion script for your shell',
      demo: 'show the whole tool on sample data',
      help: 'show the help of a command',
    },
  ],
];
