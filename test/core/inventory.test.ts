import { checkOf } from '../../src/core/gates/check.ts';
import fc from 'fast-check';
import { readCompose } from '../../src/core/inventory/compose.ts';
import { mergeServices, withBases } from '../../src/core/inventory/compose-merge.ts';
import { parseLongPort, parseShortPort } from '../../src/core/inventory/compose-ports.ts';
import { startCommand } from '../../src/core/inventory/compose-command.ts';
import { interpolate } from '../../src/core/inventory/interpolate.ts';
import { resolveService } from '../../src/core/plan/resolve-service.ts';
import { onLoopback } from '../../src/core/inventory/on-loopback.ts';
import { withContainers } from '../../src/core/inventory/with-containers.ts';
import { inventoryOf, plannedOf, someHost } from '../support/plan.ts';
import { container, ofService } from '../support/told.ts';
import type { EngineNetwork, PortMapping, Service } from '../../src/core/inventory/inventory.ts';

/** Ports as `ADDRESS:OUTSIDE>INSIDE/PROTOCOL`. */
const shown = (ports: PortMapping[] | null): string[] | null =>
  ports?.map(
    ({ hostAddress, hostPort, containerPort, protocol }) =>
      `${hostAddress ?? '*'}:${String(hostPort ?? '?')}>${String(containerPort)}/${protocol}`,
  ) ?? null;

test.each([
  ['8080', ['*:?>8080/tcp']],
  ['8081:8080', ['*:8081>8080/tcp']],
  ['127.0.0.1:8081:8080', ['127.0.0.1:8081>8080/tcp']],
  ['0.0.0.0:8081:8080', ['*:8081>8080/tcp']],
  ['[::1]:8081:8080', ['::1:8081>8080/tcp']],
  ['127.0.0.1::8080', ['127.0.0.1:?>8080/tcp']],
  ['3000-3001', ['*:?>3000/tcp', '*:?>3001/tcp']],
  ['9090-9091:8080-8081/udp', ['*:9090>8080/udp', '*:9091>8081/udp']],
  ['9090-9095:8080', ['*:?>8080/tcp']],
  ['9090-9091:8080-8082', null],
  ['8081:8080:80', null],
  ['x:80', null],
  ['0:80', null],
  ['80/sctp', null],
])('the short syntax %s', (text, ports) => {
  expect(shown(parseShortPort(text))).toEqual(ports);
});

test('the long syntax says the same as the short one', () => {
  fc.assert(
    fc.property(
      fc.ipV4(),
      fc.integer({ min: 1, max: 65535 }),
      fc.integer({ min: 1, max: 65535 }),
      fc.constantFrom('tcp', 'udp'),
      (host, published, target, protocol) => {
        const long = parseLongPort({ target, published: String(published), host_ip: host, protocol });
        expect(long).toEqual(parseShortPort(`${host}:${String(published)}:${String(target)}/${protocol}`));
        expect(long).toHaveLength(1);
      },
    ),
  );
});

test.each([
  ['${SET}', 'plover', []],
  ['$SET-x', 'plover-x', []],
  ['${SET:-d}', 'plover', []],
  ['${EMPTY:-d}', 'd', []],
  ['${EMPTY-d}', '', []],
  ['${NONE-d}', 'd', []],
  ['${NONE:-${SET}}', 'plover', []],
  ['${NONE:-${ALSO:-deep}}', 'deep', []],
  ['${SET:+yes}', 'yes', []],
  ['${EMPTY:+yes}', '', []],
  ['${EMPTY+yes}', 'yes', []],
  ['$$SET', '$SET', []],
  ['${NONE}', '', ['unset']],
  ['${NONE:?say it}', '', ['required']],
  ['${EMPTY?say it}', '', []],
  ['${OPEN', '${OPEN', ['malformed']],
  ['5$', '5$', ['malformed']],
])('%s becomes %j', (text, out, kinds) => {
  const result = interpolate(text, { SET: 'plover', EMPTY: '' });
  expect([result.text, result.problems.map(({ kind }) => kind)]).toEqual([out, kinds]);
});

test('text without a dollar sign passes unchanged, doubled ones come out single, and nothing throws', () => {
  fc.assert(
    fc.property(fc.string(), (text) => {
      const doubled = text.replace(/\$/g, '$$$$');
      expect(interpolate(doubled, {})).toEqual({ text, problems: [] });
      interpolate(text, { a: '1' });
    }),
  );
});

const compose = `name: observatory
x-usual: &usual {restart: unless-stopped, expose: ["9000"]}
services:
  bird-log:
    <<: *usual
    ports:
      - "127.0.0.1:\${LOG_PORT:-8081}:8080"
      - target: 8443
        published: "9443"
  roster:
    ports: ["5000"]
  field-radio:
    ports: [ "27015:27015/udp", "radio:1" ]
  office:
    extends: {file: other.yaml, service: base}
    ports: ["\${NEVER}:80"]
`;

test('a Compose file as people have them, and every slip in it at its place', () => {
  const { services, findings } = readCompose({ file: 'c', text: compose, project: 'folder', variables: {} });
  const [birdLog, roster, , office] = services;
  expect(birdLog).toMatchObject({
    project: 'observatory',
    name: 'bird-log',
    exposed: [9000],
    declared: { portsWhere: { line: 6, column: 5 } },
    restart: 'unless-stopped',
    networks: [{ name: 'observatory_default', aliases: ['bird-log'] }],
  });
  expect(shown(birdLog?.published ?? [])).toEqual(['127.0.0.1:8081>8080/tcp', '*:9443>8443/tcp']);
  expect(shown(roster?.published ?? [])).toEqual(['*:?>5000/tcp']);
  expect(office?.base).toMatchObject({ file: 'other.yaml', service: 'base', where: { line: 15 } });
  expect(findings.map(({ rule, severity, where }) => `${String(where?.line)} ${rule} ${severity}`)).toEqual([
    '13 compose-value error',
    '16 compose-value warning',
  ]);
});

const servicesOf = (text: string, project: string) => readCompose({ file: 'c', text, project, variables: {} }).services;

const inventory = mergeServices([
  ...servicesOf(compose, 'p'),
  ...servicesOf('services: {bird-log: {ports: ["127.0.0.1:8082:8080", "7000:7000"]}}', 'observatory'),
  ...servicesOf('services: {roster: {ports: ["5001:5000"]}}', 'marsh-office'),
]);

test('extends takes over ports through several files; an unknown base and a circle are told, not followed', () => {
  const files = new Map([
    [
      'a',
      servicesOf(
        'services: {log: {extends: {file: b, service: base}, ports: ["8080:80"]}, lost: {extends: nowhere}, own: {extends: log}, ring: {extends: ring2}, ring2: {extends: ring}, far: {extends: {file: unread, service: x}}}',
        'p',
      ),
    ],
    ['b', servicesOf('services: {base: {extends: root, ports: ["127.0.0.1:8443:443"]}, root: {expose: [9000]}}', 'p')],
  ]);
  const { services, findings } = withBases({ files, file: 'a', resolve: (_, file) => file });
  const ports = Object.fromEntries(
    services.map(({ name, published, exposed }) => [name, [...(shown(published) ?? []), ...exposed]]),
  );
  const whole = ['127.0.0.1:8443>443/tcp', '*:8080>80/tcp', 9000];
  expect(ports).toEqual({ log: whole, own: whole, lost: [], ring: [], ring2: [], far: [] });
  expect(findings.map(({ message }) => message)).toEqual([
    'Service `lost` extends `nowhere`, which this file does not declare.',
    'Service `ring2` extends itself through `ring`.',
    'Service `ring` extends itself through `ring2`.',
  ]);
});

test.each([
  ['services: {a: {ports: "80:80"}}', 'services.a.ports'],
  ['services: {a: {extends: {file: x}}}', 'services.a.extends'],
  ['include: other.yaml', 'include'],
  ['include: [{paths: x}]', 'include.0'],
])('%s: a form that the specification does not have is told', (text, key) => {
  const { findings } = readCompose({ file: 'c', text, project: 'p', variables: {} });
  expect(findings.map(({ rule, evidence }) => [rule, evidence['key']])).toEqual([['compose-not-followed', key]]);
});

test.each([
  ['bird-log', 8080, null, { kind: 'dialled', upstream: { host: '127.0.0.1', port: 8081 }, toEveryone: null }],
  [
    'bird-log',
    7000,
    null,
    { kind: 'dialled', upstream: { host: '127.0.0.1', port: 7000 }, toEveryone: { hostPort: 7000 } },
  ],
  ['bird-log', 8081, null, { kind: 'port-not-published', insideOf: 8080 }],
  ['bird-log', 9000, null, { kind: 'port-not-published', insideOf: null }],
  ['roster', 5000, 'marsh-office', { kind: 'dialled', upstream: { port: 5001 } }],
  ['roster', 5000, null, { kind: 'service-ambiguous', projects: ['observatory', 'marsh-office'] }],
  ['field-radio', 27015, null, { kind: 'port-not-published' }],
  ['birdlog', 8080, null, { kind: 'service-unknown' }],
])('%s:%d of %s', (service, port, project, resolution) => {
  const front = { kind: 'host', service: null } as const;
  const around = { inventory: inventoryOf(inventory), front };
  expect(resolveService({ kind: 'service', project, service, machine: null, port }, around)).toMatchObject(resolution);
});

const whole = `name: marsh
services:
  a:
    image: pages:\${TAG:-2}
    container_name: reed
    networks: [shore, sea, old]
    labels: ['mile-marker.road={name: x}', plain]
    deploy: {restart_policy: {condition: any}}
    volumes: ["./site:/www:ro", "named:/data", {type: bind, source: /run/engine.sock, target: /s}]
    ports: ["127.0.0.1:8081:8080"]
    expose: ["9000"]
  b: {network_mode: "service:a", restart: "no"}
  c: {network_mode: host, profiles: [winter], labels: {k: 1}}
networks:
  shore: {}
  sea: {external: true}
  old: {external: {name: older}}
`;

test('networks by their real names, modes, restart policies, labels, profiles and mounts', () => {
  const [a, b, c] = servicesOf(whole, 'folder');
  expect(a).toMatchObject({
    project: 'marsh',
    image: 'pages:2',
    containerName: 'reed',
    networks: ['marsh_shore', 'sea', 'older'].map((name) => ({ name, aliases: ['a'], address: null })),
    labels: { 'mile-marker.road': '{name: x}' },
    restart: 'always',
    mounts: ['./site', '/run/engine.sock'],
  });
  expect(b).toMatchObject({ networkMode: 'service:a', networks: [], restart: null });
  expect(c).toMatchObject({ networkMode: 'host', profiles: ['winter'], labels: { k: '1' } });
});

test.each([
  ['ports: ["9090:9090"]', ['127.0.0.1:8081>8080/tcp', '*:9090>9090/tcp']],
  ['ports: !override ["127.0.0.1:9090:9090"]', ['127.0.0.1:9090>9090/tcp']],
  ['ports: !reset []', []],
  ['restart: always', ['127.0.0.1:8081>8080/tcp']],
])('a second file that says %s', (text, ports) => {
  const [a] = mergeServices([...servicesOf(whole, 'p'), ...servicesOf(`name: marsh\nservices: {a: {${text}}}`, 'p')]);
  expect(shown(a?.published ?? null)).toEqual(ports);
  expect(a?.networks.map(({ name }) => name)).toEqual(['marsh_shore', 'sea', 'older']);
});

const declared = mergeServices(servicesOf(whole, 'p'));
const rival = container('elsewhere-a-1', {
  project: 'elsewhere',
  service: 'a',
  networks: [{ name: 'sea', aliases: ['a'], address: '172.21.0.4' }],
});
const live = ofService('a', {
  project: 'marsh',
  name: 'reed',
  networks: [
    { name: 'marsh_shore', aliases: ['a'], address: '172.21.0.2' },
    { name: 'sea', aliases: ['a'], address: '172.22.0.2' },
  ],
});
const frontOn = (...networks: string[]) => ({
  kind: 'container' as const,
  name: 'front',
  service: null,
  networks,
  inCluster: false,
});
const host = { kind: 'host' as const, service: null };

test.each([
  ['host', [], host, 'b', { kind: 'dialled', upstream: { host: '127.0.0.1', port: 8081 }, service: { name: 'a' } }],
  ['host network', [], host, 'c', { kind: 'dialled', upstream: { host: '127.0.0.1', port: 8080 } }],
  ['host, by the container name', [], host, 'reed', { kind: 'dialled', upstream: { port: 8081 } }],
  [
    'container',
    [live],
    frontOn('sea'),
    'a',
    { kind: 'dialled', upstream: { host: 'a', port: 8080, byName: true }, fromHost: { host: '172.21.0.2' } },
  ],
  [
    'container, in the network of another',
    [live],
    frontOn('sea'),
    'b',
    { kind: 'dialled', upstream: { host: 'a', service: 'a' } },
  ],
  [
    'container, beside a rival of the same name',
    [live, rival],
    frontOn('sea'),
    'marsh/a',
    { kind: 'dialled', upstream: { host: 'reed' } },
  ],
  [
    'container, the rival elsewhere',
    [live, rival],
    frontOn('marsh_shore'),
    'marsh/a',
    { kind: 'dialled', upstream: { host: 'a' } },
  ],
  [
    'container, the rival on another of its networks',
    [live, rival],
    frontOn('marsh_shore', 'moor', 'sea'),
    'marsh/a',
    { kind: 'dialled', upstream: { host: 'reed' } },
  ],
  [
    'container that is not made yet, a rival on any network',
    [live, { ...rival, networks: [{ name: 'moor', aliases: ['a'], address: '172.23.0.4' }] }],
    { ...frontOn(), networks: null },
    'marsh/a',
    { kind: 'dialled', upstream: { host: 'reed' } },
  ],
  [
    'container whose every name but one the rival has',
    [
      { ...live, networks: [{ name: 'sea', aliases: ['a', 'a-alone'], address: '172.22.0.2' }] },
      { ...rival, networks: [{ name: 'moor', aliases: ['a', 'reed'], address: '172.23.0.4' }] },
    ],
    frontOn('sea', 'moor'),
    'marsh/a',
    { kind: 'dialled', upstream: { host: 'a-alone' } },
  ],
  [
    'container, declared only',
    [],
    frontOn('older'),
    'a',
    { kind: 'dialled', upstream: { host: 'a' }, fromHost: { host: '127.0.0.1', port: 8081 } },
  ],
  [
    'container, elsewhere',
    [live],
    frontOn('moor'),
    'a',
    { kind: 'no-shared-network', networks: ['marsh_shore', 'sea'], front: ['moor'] },
  ],
  ['container, on the host network', [], frontOn('sea'), 'c', { kind: 'loopback' }],
])('a front on the %s', (_, containers, front, to, resolution) => {
  const [service = '', project = null] = to.split('/').reverse();
  const around = { inventory: inventoryOf(withContainers(declared, containers), true), front };
  expect(resolveService({ kind: 'service', project, service, machine: null, port: 8080 }, around)).toMatchObject(
    resolution,
  );
});

test('whatever an entry of ports says, bound to loopback it says the same for nobody else', () => {
  const port = fc.integer({ min: 1, max: 65_535 }).map(String);
  const entry = fc.tuple(
    fc.constantFrom('', '0.0.0.0:', '[::]:'),
    fc.option(port, { nil: '' }),
    port,
    fc.constantFrom('', '/tcp', '/udp'),
    fc.constantFrom('', '"', "'"),
  );
  fc.assert(
    fc.property(entry, ([address, outside, inside, protocol, mark]) => {
      const text = `${address}${outside === '' && address === '' ? '' : `${outside}:`}${inside}${protocol}`;
      const line = onLoopback(`${mark}${text}${mark}`, { inFlow: false });
      const closed = parseShortPort(/^- "(.*)"$/.exec(line)?.[1] ?? '');
      const open = parseShortPort(text) ?? [];
      expect([text, closed]).toEqual([text, open.map((one) => ({ ...one, hostAddress: '127.0.0.1' }))]);
    }),
  );
  expect(onLoopback('"${LOG_PORT:-8081}:8080"', { inFlow: false })).toBe('- "127.0.0.1:${LOG_PORT:-8081}:8080"');
  expect(onLoopback('8081:8080', { inFlow: true })).toBe('"127.0.0.1:8081:8080"');
  expect(onLoopback('target: 5000 published: "5000"', { inFlow: false })).toBe('host_ip: 127.0.0.1');
});

test("a network that the engine made is nobody's home, whatever its interface is called", () => {
  const address = { interface: 'marsh0', address: '172.20.0.1', network: '172.20.0.0/16', ofContainers: false };
  const here = { ...someHost, addresses: [...someHost.addresses, address] };
  const text = 'domains: [a.example]\nfront: {address: 203.0.113.24}\nroads: {w: ":80"}';
  const homeOf = (networks: EngineNetwork[]): unknown =>
    plannedOf(text, { ...inventoryOf([], true), networks }, here).plan.roads[0]?.gate.parts.flatMap(
      (part) => checkOf(part, 'networks')?.networks ?? [],
    );
  const known = { name: 'p_default', driver: 'bridge', subnets: ['172.20.0.0/16'] };
  expect(homeOf([])).toEqual(['127.0.0.0/8', '::1/128', '172.20.0.0/16', '192.168.64.0/24']);
  expect(homeOf([known])).toEqual(['127.0.0.0/8', '::1/128', '192.168.64.0/24']);
});

test.each<[string, string, Partial<Service>, string]>([
  [
    'in the folder of its own file',
    'docker compose',
    { declared: declaredIn('compose.yaml') },
    'docker compose up -d tides',
  ],
  [
    'of a file with another name',
    'docker compose',
    { declared: declaredIn('marsh.yaml') },
    'docker compose -f marsh.yaml up -d tides',
  ],
  [
    'of a folder beside',
    'docker compose',
    { declared: declaredIn('../hut/compose.yaml') },
    'docker compose -f ../hut/compose.yaml up -d tides',
  ],
  [
    'that no file of the map declares, but one of its project',
    'docker compose',
    { containers: [runs({ 'com.docker.compose.project.config_files': '/srv/my hut/compose.yaml' })] },
    "docker compose -f '/srv/my hut/compose.yaml' up -d tides",
  ],
  ['that was started by hand', 'docker compose', { containers: [runs({})] }, 'docker start marsh-tides'],
  [
    'that was started by hand, with the other engine',
    'podman compose',
    { containers: [runs({})] },
    'podman start marsh-tides',
  ],
])('the command that starts a service %s', (_, compose, service, command) => {
  expect(startCommand(compose, { name: 'tides', declared: null, containers: [], ...service })).toBe(command);
});

function declaredIn(file: string): Service['declared'] {
  return { files: [file] } as Service['declared'];
}

function runs(labels: Record<string, string>): Service['containers'][number] {
  return { name: 'marsh-tides', labels } as unknown as Service['containers'][number];
}
