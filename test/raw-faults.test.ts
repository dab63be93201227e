import { programOf } from '../src/core/proxies/programs.ts';
import { proxyNames } from '../src/core/proxies/names.ts';
import net from 'node:net';
import { networkInterfaces } from 'node:os';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { startFront, type ProxyName, type RunningFront } from './support/fronts.ts';
import { freePorts, listening, portOf } from './support/ports.ts';
import { folderWith, mileMarker } from './support/program.ts';
import { practiceHead } from './support/site.ts';

/** Raw ports whose front is not as the map says, on real servers: each is told by its cause. The front runs one map, and another one is verified. */

const greeting = (words: string): net.Server =>
  net.createServer((socket) => void socket.on('error', () => undefined).write(words));
const silent = (): net.Server => net.createServer((socket) => void socket.on('error', () => undefined));
/** Greets whoever tells it the visitor first, and hangs up on all others, as such services do. */
const wantsVisitor = (): net.Server =>
  net.createServer((socket) => {
    socket.on('error', () => undefined);
    const late = setTimeout(() => socket.destroy(), 150);
    socket.once('data', (bytes: Buffer) => {
      clearTimeout(late);
      if (bytes.toString('latin1').startsWith('PROXY ')) socket.write('220 weather mast ready\r\n');
      else socket.destroy();
    });
  });
/** Greets at once, and hangs up on what it does not understand. */
const picky = (): net.Server =>
  net.createServer((socket) => {
    socket.on('error', () => undefined);
    const greet = setTimeout(() => socket.write('220 tide gauge ready\r\n'), 60);
    socket.once('data', () => {
      clearTimeout(greet);
      socket.destroy();
    });
  });

/** @throws Error where this machine has no address but loopback: then nothing can be past a front */
function outwardAddress(): string {
  const found = Object.values(networkInterfaces())
    .flat()
    .find((one) => one?.family === 'IPv4' && !one.internal)?.address;
  if (found === undefined) throw new Error('this machine has no address but loopback');
  return found;
}

describe.each<ProxyName>(proxyNames.filter((name) => programOf(name).limits.rawPorts.includes('tcp')))(
  '%s',
  (proxy) => {
    let front: RunningFront;
    const servers: net.Server[] = [];
    const told = new Map<string, string>();
    const names = ['well', 'other', 'nothing', 'tls', 'no-proxy', 'extra-proxy', 'wants', 'quiet', 'past'];
    let ports: number[] = [];

    beforeAll(async () => {
      const started = await Promise.all(
        [greeting('220 tide gauge ready\r\n'), greeting('SSH-2.0-marsh\r\n'), silent(), wantsVisitor(), picky()].map(
          (server) => listening(server, 0),
        ),
      );
      const [gauge = 0, shell = 0, quiet = 0, mast = 0, sonde = 0] = started.map(portOf);
      const open = await listening(greeting('220 open gauge\r\n'), 0, '0.0.0.0');
      servers.push(...started, open);
      ports = await freePorts(names.length);
      const { head } = await practiceHead(proxy);
      const map = (leads: readonly string[]): string => {
        const gates = 'gates: {near: {networks: 127.0.0.0/8}}\n';
        const lines = leads.map((one, at) => `  ${String(ports[at] ?? 0)}/tcp: {${one}}\n`);
        const address = head.replace('address: 127.0.0.1', `address: ${outwardAddress()}`);
        return `${address}${gates}roads:\n  www: {redirect: "https://www.example.org", gate: everyone}\nports:\n${lines.join('')}`;
      };
      const to = (port: number, more = ''): string => `to: ":${String(port)}", gate: everyone${more}`;
      const tls = ', tls: true, name: www.saltmarsh.example';
      const tellsVisitor = ', proxy-protocol: true';
      const folder = folderWith({
        'mile-marker.yaml': map([
          to(gauge),
          to(shell),
          to(quiet),
          to(gauge, tls),
          to(mast),
          to(sonde, tellsVisitor),
          to(mast),
          to(quiet, tellsVisitor),
          to(portOf(open)).replace('everyone', 'near'),
        ]),
      });
      front = await startFront(folder, proxy);
      writeFileSync(
        join(folder, 'mile-marker.yaml'),
        map([
          to(gauge),
          to(gauge),
          to(gauge),
          to(gauge),
          to(mast, tellsVisitor),
          to(sonde),
          to(mast),
          to(quiet, tellsVisitor),
          to(portOf(open)).replace('everyone', 'near'),
        ]),
      );
      const { out } = await mileMarker(['verify', '--at', '127.0.0.1', '--json'], folder);
      fill(out);
      // Past its gate a service is looked for at addresses that others can reach.
      const past = `${String(ports.at(-1) ?? 0)}/tcp`;
      const { out: outward } = await mileMarker(['verify', past, '--at', outwardAddress(), '--json'], folder);
      told.set(
        'past',
        (JSON.parse(outward) as { findings: Array<{ rule: string }> }).findings.map(({ rule }) => rule).join(),
      );
    });

    function fill(out: string): void {
      const { findings, roads } = JSON.parse(out) as {
        findings: Array<{ rule: string; roads: string[]; message: string }>;
        roads: Array<{ name: string; legs: Record<string, { outcome: string; kind: string }> }>;
      };
      for (const [at, name] of names.entries()) {
        const road = `${String(ports[at] ?? 0)}/tcp`;
        const own = findings
          .filter((one) => one.roads.includes(road))
          .map(({ rule, message }) => `${rule}: ${message}`);
        const service = roads.find((one) => one.name === road)?.legs['service'];
        told.set(name, [`${service?.outcome ?? ''} ${service?.kind ?? ''}`, ...own].join(' | '));
      }
    }

    afterAll(async () => {
      await front.stop();
      for (const server of servers) server.close();
    });

    test.each([
      ['well', /^ok answers$/],
      [
        'other',
        /raw-port-other: .* greets visitors with "SSH-2\.0-marsh", and its service at 127\.0\.0\.1:\d+ with "220 tide/,
      ],
      ['nothing', /raw-port-other: .* says nothing, where its service/],
      ['tls', /raw-port-other: .* expects a TLS handshake/],
      ['no-proxy', /raw-port-other: .* the front does not send it/],
      ['extra-proxy', /raw-port-other: .* which does not understand it/],
      ['wants', /raw-port-other: .* which is not on the map/],
      ['quiet', /^untested says-nothing$/],
      ['past', /raw-port-bypassed/],
    ])('%s', (name, wanted) => {
      expect(told.get(name)).toMatch(wanted);
    });
  },
);
