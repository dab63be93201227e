import http from 'node:http';
import type { DemoService } from './scenario.ts';

export interface RunningEngine {
  stop: () => Promise<void>;
}

/** A container of the made-up site, as the engine's API describes one. */
interface Made {
  name: string;
  image: string;
  inside: number;
  /** Port on this machine, or null when it publishes none. `host` is the address it is bound to. */
  outside: number | null;
  host: string;
  service: string | null;
  exitCode: number | null;
  address: string;
}

const network = 'observatory_default';

/**
 * A small stand-in for the container engine's HTTP API (v1.41: ContainerList, ContainerInspect, NetworkList) on a unix
 * socket, for machines that have no engine. It knows the containers of the demo's Compose file, a database beside them, and
 * one container that nobody has put on the map.
 */
export async function startEngine(socket: string, ports: Record<DemoService, number>): Promise<RunningEngine> {
  const containers = madeContainers(ports);
  const server = http.createServer((request, response) => {
    const found = answerTo(request.url ?? '', containers);
    response.writeHead(found === null ? 404 : 200, { 'content-type': 'application/json' });
    response.end(JSON.stringify(found ?? { message: 'no such object' }));
  });
  await new Promise<void>((resolve, reject) => {
    server.once('error', reject);
    server.listen(socket, resolve);
  });
  return {
    stop: () =>
      new Promise((resolve) => {
        server.close(() => resolve());
        server.closeAllConnections();
      }),
  };
}

function madeContainers(ports: Record<DemoService, number>): Made[] {
  const inside = { 'visitor-pages': 80, 'bird-log': 8080, nestcam: 3000, roster: 5000, 'tide-tables': 8000 } as const;
  const ofProject = Object.entries(inside).map(([service, port], index): Made => {
    const outside = ports[service as DemoService];
    const host = service === 'bird-log' ? '0.0.0.0' : '127.0.0.1';
    const exitCode = service === 'tide-tables' ? 1 : null;
    const address = `172.20.0.${String(index + 2)}`;
    const name = `observatory-${service}-1`;
    return { name, image: `observatory/${service}`, inside: port, outside, host, service, exitCode, address };
  });
  const rest = { host: '127.0.0.1', exitCode: null };
  return [
    ...ofProject,
    {
      ...rest,
      name: 'observatory-ringing-db-1',
      image: 'postgres:16',
      inside: 5432,
      outside: null,
      service: 'ringing-db',
      address: '172.20.0.20',
    },
    {
      ...rest,
      name: 'gull-count',
      image: 'observatory/gull-count',
      inside: 3000,
      outside: 3999,
      service: null,
      address: '172.20.0.21',
    },
  ];
}

function answerTo(url: string, containers: readonly Made[]): unknown {
  const path = url.replace(/^\/v\d+\.\d+/, '').split('?')[0] ?? '';
  if (path === '/_ping') return 'OK';
  if (path === '/containers/json') return containers.map(({ name }) => ({ Id: idOf(name) }));
  if (path === '/networks') {
    const config = [{ Subnet: '172.20.0.0/16', Gateway: '172.20.0.1' }];
    return [{ Name: network, Driver: 'bridge', IPAM: { Config: config } }];
  }
  const id = /^\/containers\/([^/]+)\/json$/.exec(path)?.[1];
  const found = containers.find(({ name }) => idOf(name) === id);
  return found === undefined ? null : inspected(found);
}

function inspected({ name, image, inside, outside, host, service, exitCode, address }: Made): unknown {
  const running = exitCode === null;
  const key = `${String(inside)}/tcp`;
  const bindings = outside === null || !running ? null : [{ HostIp: host, HostPort: String(outside) }];
  const compose = { 'com.docker.compose.project': 'observatory', 'com.docker.compose.service': service ?? '' };
  return {
    Id: idOf(name),
    Name: `/${name}`,
    State: { Status: running ? 'running' : 'exited', Running: running, ExitCode: exitCode ?? 0 },
    Config: { Image: image, Labels: service === null ? {} : compose, ExposedPorts: { [key]: {} } },
    HostConfig: { NetworkMode: network, RestartPolicy: { Name: 'unless-stopped' } },
    Mounts: [],
    NetworkSettings: {
      Networks: { [network]: { IPAddress: running ? address : '', Aliases: [service ?? name] } },
      Ports: { [key]: bindings },
    },
  };
}

/** Ids are 64 hexadecimal digits; these are made from the name, so that they stay the same. */
function idOf(name: string): string {
  return Buffer.from(name).toString('hex').padEnd(64, '0').slice(0, 64);
}
