import { readCompose } from '../../src/core/inventory/compose.ts';
import { container, ofService, published, socket, told, type Case } from '../support/told.ts';

/** Rules about what really runs: each with what makes it speak, and with the nearest thing that must not. */

const declared = (text: string): string =>
  `services: {log: {restart: always, ports: ["127.0.0.1:8081:8080"], ${text}}}`;
const log = ofService('log', { published: published('8081:8080') });
const one = 'roads: {log: "log:8080"}';
const front = (text: string): string =>
  `domains: [saltmarsh.example]\nfront: {address: 203.0.113.24, container: front}\n${text}`;
const proxy = container('front', { networks: [{ name: 'p_default', aliases: ['front'], address: null }] });
const marsh = [{ name: 'p_default', driver: 'bridge', subnets: ['172.20.0.0/16'] }];

const running: Case = { compose: declared(''), containers: [log] };

test.each<[string, string, Case]>([
  ['a service that runs as declared', one, running],
  ['a service that nobody asked the engine about', one, { compose: declared('') }],
  [
    'a service that is declared twice and runs once',
    one,
    { ...running, containers: [log, ofService('log', { name: 'p-log-2', published: published('8082:8080') })] },
  ],
  [
    'a stopped container beside a running one of the same service',
    one,
    { ...running, containers: [ofService('log', { name: 'a-old', state: 'exited' }), log] },
  ],
  ['a healthy one', one, { ...running, containers: [{ ...log, health: 'healthy' }] }],
  ['one whose check has only begun', one, { ...running, containers: [{ ...log, health: 'starting' }] }],
  [
    'one in no project that is on a road',
    'roads: {gulls: "gulls:3000"}',
    { containers: [container('gulls', { published: published('3999:3000') })], compose: 'services: {}' },
  ],
  ['one by the name of its container', 'roads: {log: "p-log-1:8080"}', running],
  [
    'a published port without a number, as the engine filled it in',
    one,
    { compose: 'services: {log: {restart: always, ports: ["127.0.0.1::8080"]}}', containers: [log] },
  ],
  [
    'a database that no road leads to',
    'roads: {}',
    {
      compose: 'services: {}',
      containers: [container('db', { image: 'registry.example:5000/postgres:16', exposed: [5432] })],
    },
  ],
  ['a container without a port', 'roads: {}', { compose: 'services: {}', containers: [container('clock')] }],
  [
    'a container that does not run',
    'roads: {}',
    { compose: 'services: {}', containers: [container('old', { state: 'exited', published: published('9:80') })] },
  ],
  [
    'a stopped container of the port that another has',
    'roads: {}',
    { compose: 'services: {}', containers: [container('old', { state: 'exited', published: published('*80:80') })] },
  ],
  [
    'a service of a profile that nobody asked for',
    'roads: {}',
    { compose: 'services: {a: {profiles: [winter], ports: ["443:1"]}}' },
  ],
  [
    'a service that sees the engine, at home',
    'roads: {log: "log:8080"}',
    { compose: declared('volumes: ["/var/run/docker.sock:/s"]') },
  ],
  ['a front that starts at boot', one, { ...running, startsAtBoot: true }],
  [
    'a practice front that does not',
    `domains: [a.example]\nfront: {address: 127.0.0.1}\n${one}`,
    { ...running, startsAtBoot: false },
  ],
  ['the front itself on its port', one, { ...running, sockets: [socket(443, 'node'), socket(918, 'node')] }],
  [
    "the map's own server on its port",
    `domains: [a.example]\nfront: {address: 203.0.113.24, proxy: nginx}\n${one}`,
    { ...running, sockets: [socket(443, 'nginx')] },
  ],
  ['somebody unseen on the port, and the mark is there too', one, { ...running, sockets: [socket(443), socket(918)] }],
  ['another port', one, { ...running, sockets: [socket(4443, 'apache2')] }],
  [
    'a front in a container that shares a network',
    front(one),
    { compose: 'services: {log: {restart: always}}', containers: [proxy, ofService('log')] },
  ],
  [
    "the front's own published port",
    front(one),
    {
      compose: 'services: {log: {restart: always}}',
      containers: [{ ...proxy, published: published('*443:443') }, ofService('log')],
      sockets: [socket(443, 'docker-proxy')],
    },
  ],
  [
    "a front on the host's network, and loopback",
    front('roads: {w: ":9400"}'),
    { containers: [{ ...proxy, networkMode: 'host', networks: [] }], compose: 'services: {}' },
  ],
  [
    "an address on this machine's own network",
    'roads: {w: "http://192.168.64.9:80"}',
    { compose: 'services: {}', containers: [], networks: marsh },
  ],
])('silence: %s', (_, text, given) => {
  expect(told(text, given)).toEqual([]);
});

const bare = { compose: 'services: {}' };

const alarms: Array<[string, string, Case, string]> = [
  [
    'declared and not there',
    one,
    { ...running, containers: [] },
    'service-stopped: `p/log` is declared, but has no container. | Start it: docker compose up -d log',
  ],
  [
    'of a profile',
    one,
    { compose: declared('profiles: [winter, all]'), containers: [] },
    'service-stopped: `p/log` runs only with one of the profiles winter, all, and has no container. | Start it: docker compose --profile winter up -d log',
  ],
  [
    'ended',
    one,
    { ...running, containers: [{ ...log, state: 'exited', exitCode: 137 }] },
    'service-stopped: The container `p-log-1` ended with exit code 137. | Read why: docker logs p-log-1',
  ],
  [
    'never started',
    one,
    { ...running, containers: [{ ...log, state: 'created' }] },
    'service-stopped: The container `p-log-1` was created, but never started. | Start it: docker start p-log-1',
  ],
  [
    'frozen',
    one,
    { ...running, containers: [{ ...log, state: 'paused' }] },
    'service-stopped: The container `p-log-1` is paused. | Resume it: docker unpause p-log-1',
  ],
  [
    'dead',
    one,
    { ...running, containers: [{ ...log, state: 'dead' }] },
    'service-stopped: The container `p-log-1` is dead. | Remove it, then start it again: docker rm -f p-log-1',
  ],
  [
    'restarting',
    one,
    { ...running, containers: [{ ...log, state: 'restarting', exitCode: 1 }] },
    'service-restarting: The container `p-log-1` crashes again and again with exit code 1. | Read why: docker logs p-log-1',
  ],
  [
    'unhealthy',
    one,
    { ...running, containers: [{ ...log, health: 'unhealthy' }] },
    'service-unhealthy: The container `p-log-1` is unhealthy by its own health check. | See what the check printed: docker inspect --format "{{json .State.Health}}" p-log-1',
  ],
  [
    'changed and not made anew',
    one,
    {
      compose: 'services: {log: {restart: always, ports: ["127.0.0.1:8081:8080", "127.0.0.1:9:9"]}}',
      containers: [log],
    },
    'compose-not-applied: `p/log` still runs with its old Compose settings: 127.0.0.1:9 is not published. | Recreate it: docker compose up -d log',
  ],
  [
    'corrected and not made anew: one finding for all of it',
    one,
    {
      compose: 'services: {log: {restart: always, ports: ["127.0.0.1:8081:8080"]}}',
      containers: [{ ...log, restart: null, published: published('*8081:8080') }],
    },
    'compose-not-applied: `p/log` still runs with its old Compose settings: 127.0.0.1:8081 is not published, port 8081 is open past the front, no restart after a reboot. | Recreate it: docker compose up -d log',
  ],
  [
    'made from a file that the map does not name',
    one,
    {
      compose: 'services: {log: {restart: always}}',
      containers: [
        {
          ...log,
          published: published('*8081:8080'),
          labels: { 'com.docker.compose.project.config_files': '/srv/compose.yaml,/srv/compose.override.yaml' },
        },
      ],
    },
    'service-published-to-everyone: `log` is reachable past the front, on port 8081 of every address of this machine. | Close it: in the Compose file of `p` write: "127.0.0.1:8081:8080", then: docker compose -f /srv/compose.yaml -f /srv/compose.override.yaml up -d log',
  ],
  [
    'on a rented server a container without a road',
    'roads: {log: {to: "log:8080", gate: everyone}}',
    {
      ...running,
      containers: [log, container('gulls', { published: published('*3999:3000') })],
      host: {
        addresses: [{ interface: 'eth0', address: '203.0.113.24', network: '203.0.113.0/24', ofContainers: false }],
      },
    },
    'service-published-to-everyone: `gulls` is open to the world on port 3999, which no road leads to. | If this is on purpose, nothing needs doing. If not, recreate it with: -p 127.0.0.1:3999:3000. Or keep strangers out: mile-marker install firewall',
  ],
  [
    'open by its file, and running',
    one,
    {
      compose: 'services: {log: {restart: always, ports: ["8081:8080"]}}',
      containers: [{ ...log, published: published('*8081:8080') }],
    },
    'service-published-to-everyone: `log` is reachable past the front, on port 8081 of every address of this machine. | Close it: in c line 1 write: "127.0.0.1:8081:8080", then: docker compose up -d log',
  ],
  [
    'no restart policy',
    one,
    { compose: declared('').replace('restart: always, ', '') },
    'no-restart-policy: No restart policy, so down after a reboot: p/log. | Add to each of these services: restart: unless-stopped',
  ],
  [
    'a policy for failures only',
    one,
    { compose: declared('').replace('always', 'on-failure:3') },
    'no-restart-policy: Restarts after a failure, but not after a reboot (restart: on-failure): p/log. | Write instead: restart: unless-stopped',
  ],
  [
    'a container without one',
    'roads: {gulls: "gulls:3000"}',
    { ...bare, containers: [container('gulls', { restart: null, published: published('3999:3000') })] },
    'no-restart-policy: Containers without a restart policy that survives a reboot: gulls. | Set one: docker update --restart unless-stopped gulls',
  ],
  [
    'host network',
    one,
    { compose: 'services: {log: {restart: always, network_mode: host}}' },
    'host-network: `p/log` shares this machine\'s network (network_mode: host): port 8080 can be reached past the front. | Remove `network_mode: host` and publish what is needed: - "127.0.0.1:8080:8080"; or let the program listen on 127.0.0.1.',
  ],
  [
    'without a road',
    'roads: {}',
    { ...bare, containers: [container('gulls', { exposed: [3000] })] },
    'container-without-road: No road leads to `gulls`. | See what you can add: mile-marker survey',
  ],
  [
    'a database by its image',
    one,
    { compose: declared('image: "docker.example/mariadb:11"') },
    'not-for-the-web: `log` leads to `log`, whose image is a database. | Lead to the program that people open in a browser. Or remove the road: mile-marker remove log',
  ],
  [
    'the engine socket for everyone',
    'roads: {log: {to: "log:8080", gate: everyone}}',
    { compose: declared('volumes: [{type: bind, source: /var/run/docker.sock, target: /s}]') },
    'not-for-the-web: `log` lets everyone reach `log`, which has the engine socket. Anyone who gets in is root on this machine. | Give the road `gate: home`, or remove the socket from the service.',
  ],
  [
    'a container that only its network reaches',
    'roads: {gulls: "gulls:3000"}',
    { ...bare, containers: [container('gulls', { exposed: [3000] })] },
    'port-not-published: The container of `gulls` publishes no port 3000. Only an address of its container network leads there, and that changes. | Recreate it with -p 127.0.0.1:3000:3000, or declare it in a Compose file of the map.',
  ],
  [
    'a container that everyone reaches',
    'roads: {gulls: "gulls:3000"}',
    { ...bare, containers: [container('gulls', { published: published('*3999:3000') })] },
    'service-published-to-everyone: `gulls` is reachable past the front, on port 3999 of every address of this machine. | Close it: recreate it with: -p 127.0.0.1:3999:3000',
  ],
  [
    'a bridge address',
    'roads: {w: "http://172.20.0.9:8080"}',
    { ...bare, containers: [container('gulls', { published: published('3999:8080') })], networks: marsh },
    'bridge-address: 172.20.0.9:8080 is now `gulls`, on the container network p_default. | Write `to: gulls:8080`.',
  ],
  [
    'a bridge address that nobody has',
    'roads: {w: "http://172.20.0.77:8080"}',
    { ...bare, containers: [], networks: marsh },
    'bridge-address: 172.20.0.77:8080 is in the container network p_default, but no container has it now. | Write the service instead: `to: SERVICE:8080`.',
  ],
  [
    "the front's port, by a container",
    'roads: {}',
    { ...bare, containers: [container('old-front', { published: published('*443:8443') })] },
    'front-port-taken: `old-front` publishes port 443 of this machine, which the front needs for https. | Move it to another outside port: - "127.0.0.1:8000:8443". Visitors reach it through its road.',
  ],
  [
    "the front's port, by a program",
    'roads: {}',
    { ...bare, sockets: [socket(80, 'tide-board'), socket(8000, 'x')] },
    'front-port-taken: tide-board (process 987) listens on port 80 of this machine, which the front needs for http. | Move that program to another port, such as 8001, or stop it, or give the front other ports with `front.listen`.',
  ],
  [
    "the front's port, by a server that could be the front",
    'roads: {}',
    { ...bare, sockets: [socket(80, 'nginx')] },
    'front-port-taken: nginx (process 548) listens on port 80 of this machine, which the front needs for http. | If it is to be the front, write in the map: `proxy: nginx`. If not, stop it, or give the front other ports with `front.listen`.',
  ],
  [
    'the port of the mark, by a program',
    'roads: {}',
    { ...bare, sockets: [socket(918, 'gulls'), socket(919, 'x')] },
    'front-port-taken: gulls (process 551) listens on port 918 of this machine, on which the front answers its mark. | Write another port in the map, such as: `front.mark: 127.0.0.1:920`',
  ],
  [
    'the port of the mark, by what was the front before',
    'roads: {}',
    { ...bare, sockets: [socket(918, 'nginx'), { ...socket(80, 'nginx'), owners: socket(918, 'nginx').owners }] },
    'front-port-taken: nginx (process 548) is the front now, but the map says `proxy: builtin`. | Stop it as soon as the new one is ready to start. Visitors notice a short break. To keep it as the front, correct `proxy` in the map.',
  ],
  [
    "the front's port, by somebody unseen",
    'roads: {}',
    { ...bare, sockets: [socket(443)] },
    'front-port-taken: A program that only root may see listens on port 443 of this machine, which the front needs for https. | Move that program to another port, such as 8000, or stop it, or give the front other ports with `front.listen`.',
  ],
  [
    'not started at boot',
    one,
    { ...running, startsAtBoot: false },
    "front-not-at-boot: Nothing starts Mile Marker's own proxy when this machine starts. | Enable it: mile-marker install service",
  ],
  [
    'nginx not started at boot',
    `domains: [a.example]\nfront: {address: 203.0.113.24, proxy: nginx}\n${one}`,
    { ...running, startsAtBoot: false },
    'front-not-at-boot: Nothing starts nginx when this machine starts. | Enable it: systemctl enable nginx',
  ],
  [
    'a front container not started at boot',
    front('roads: {}'),
    { ...bare, containers: [{ ...proxy, restart: 'on-failure' }] },
    'front-not-at-boot: The front’s container `front` has no restart policy that survives a reboot. | Set one: docker update --restart unless-stopped front',
  ],
  [
    'a front container that is not there',
    front('roads: {}'),
    { ...bare, containers: [] },
    'front-container-unknown: The container `front` of the front does not exist yet. | Write a Compose file for it: mile-marker write --compose',
  ],
  [
    'no shared network',
    front('roads: {g: "gulls:3000"}'),
    {
      ...bare,
      containers: [
        proxy,
        container('gulls', {
          networks: [{ name: 'far', aliases: [], address: null }],
          published: published('3999:3000'),
        }),
      ],
    },
    'no-shared-network: `gulls` is on far, and the front `front` on p_default: they share no container network. | Under `networks` of the front add `far` (external: true). Or let Mile Marker write such a file: mile-marker write --compose',
  ],
  [
    'only the network without names',
    front('roads: {g: "gulls:3000"}'),
    {
      ...bare,
      containers: [proxy, container('gulls', { networks: [{ name: 'bridge', aliases: [], address: null }] })],
    },
    'no-shared-network: `gulls` is on no container network with a name, and names resolve only there. | Under its `networks` add one that the front `front` is on: p_default.',
  ],
  [
    'two that answer to one name, one of them started by hand',
    front('roads: {g: "gulls:3000"}'),
    {
      ...bare,
      containers: [
        proxy,
        container('gulls', { networks: [{ name: 'p_default', aliases: ['gulls'], address: null }] }),
        container('gulls-2', {
          project: 'reeds',
          service: 'count',
          networks: [{ name: 'p_default', aliases: ['count', 'gulls'], address: null }],
        }),
      ],
    },
    'name-answered-twice: `gulls` is reached as `gulls`, but `reeds/count` on the network p_default has that name too. | Give it an alias of its own: docker network disconnect p_default gulls, then: docker network connect --alias gulls --alias gulls-alone p_default gulls',
  ],
  [
    'the same of a Compose file',
    front('roads: {g: "marsh/gulls:3000"}'),
    {
      ...bare,
      containers: [
        {
          ...proxy,
          networks: ['marsh_default', 'reeds_default'].map((name) => ({ name, aliases: [], address: null })),
        },
        ...['marsh', 'reeds'].map((project) =>
          container(project === 'marsh' ? 'gulls' : 'reeds-gulls-1', {
            ...{ project, service: 'gulls' },
            networks: [{ name: `${project}_default`, aliases: ['gulls'], address: null }],
          }),
        ),
      ],
    },
    'name-answered-twice: `marsh/gulls` is reached as `gulls`, but `reeds/gulls` on the network reeds_default has that name too. | Under `networks` of `marsh/gulls`, at `default`, write `aliases: [gulls-alone]`, then: docker compose up -d gulls',
  ],
  [
    'loopback in a container',
    front('roads: {w: ":9400"}'),
    { ...bare, containers: [proxy] },
    'loopback-in-container: `w` leads to port 9400 of this machine, but the front runs in the container `front`. | Let the program listen on an address of this machine, and write `to: http://ADDRESS:9400`, or give the front `network_mode: host`.',
  ],
];

test.each(alarms)('alarm: %s', (_, text, given, finding) => {
  expect(told(text, given)).toEqual([finding]);
});

const behindPrefix = alarms
  .map(([what, text, given, finding]) => {
    const moved = text.replace(/(\w+): (?:"([^"]+)"|\{to: "([^"]+)"([^}]*)\})\}$/, (_, key, plain, to, more) => {
      const kept = String(more ?? '');
      return `${String(key)}: {folder: ./site${kept}, paths: {/api: "${String(plain ?? to)}"}}}`;
    });
    const key = /^((?:not-for-the-web|loopback-in-container): `\w+)`/;
    return [what, moved, given, finding.replace(key, '$1/api`')] as const;
  })
  .filter(([, moved]) => moved.includes('paths'));

test('most of these have a road to put behind a prefix', () => {
  expect(behindPrefix.length).toBeGreaterThan(20);
});

test.each(behindPrefix)('the same behind a prefix: %s', (_, text, given, finding) => {
  expect(told(text, given)).toEqual([finding]);
});

const hash = '$2y$05$abcdefghijklmnopqrstuv';

test.each<[string, string[]]>([
  [`services: {a: {environment: {ADMIN: '${hash}'}}}`, ['error hash services.a.environment.ADMIN']],
  [`services: {a: {labels: ['pass=${hash}']}}`, ['error hash services.a.labels.0']],
  ['services: {a: {environment: {PLACE: "$MARSH"}}}', ['warning name services.a.environment.PLACE']],
  ['services: {a: {command: "echo 5$"}}', ['error name services.a.command']],
  ['x: &x {K: "$NONE"}\nservices: {a: {environment: *x}, b: {environment: *x}}', ['warning name x.K']],
  [`services: {a: {environment: {ADMIN: '${hash.replace(/\$/g, '$$$$')}', B: "\${SET}", C: "\${NONE:-x}"}}}`, []],
])('dollar signs in %s', (text, expected) => {
  const { findings } = readCompose({ file: 'c', text, project: 'p', variables: { SET: 'y' } });
  const said = findings.map(({ rule, severity, evidence, message }) => {
    expect([rule, message.includes('abcdef')]).toEqual(['compose-dollar', false]);
    const say = message.includes('hash') ? 'hash' : message.includes('begins no') ? 'lone' : 'name';
    return `${severity} ${say} ${String(evidence['key'])}`;
  });
  expect(said).toEqual(expected);
  expect(JSON.stringify(findings)).not.toContain('abcdef');
});
