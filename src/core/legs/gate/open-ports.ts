import { card, tell } from '../../findings/card.ts';
import type { Finding } from '../../findings/finding.ts';
import { withPort } from '../../networks/address.ts';

const portOpen = card({
  id: 'port-open',
  severity: 'warning',
  summary: 'A port that is not on the map answers at the address of the front.',
  why: 'Anyone who finds it bypasses every gate. Containers often publish ports that nobody meant to open.',
  source: 'RFC 9293 §3.5',
  messages: {
    outside: {
      message: 'Port {port} of {address} answers ({what}), but is not on the map.',
      remedy:
        'To close it, publish it on 127.0.0.1 only, remove the forwarding from the router, or load the rules of way-in.nft.',
    },
    here: {
      message:
        'Port {port} of {address} answers ({what}), but is not on the map. Seen from the machine itself, it is not clear whether a firewall keeps strangers out.',
      remedy:
        'If it is not meant for everybody, publish it on 127.0.0.1 only, or keep strangers out: mile-marker install firewall. To see it as they do, run verify --open-ports from another network.',
    },
    walled: {
      message:
        'Port {port} of {address} answers ({what}), asked from the machine itself. From elsewhere the kept rules of its firewall should refuse it.',
      remedy: 'See it as strangers do: run verify --open-ports from another network.',
    },
    home: {
      message: 'From home, port {port} of {address} answers ({what}), but is not on the map.',
      remedy:
        'Fine if it is meant for home only. To see whether it is open to the world, run verify --open-ports from another network.',
    },
  },
});

const notTried = card({
  id: 'open-ports-not-tried',
  severity: 'note',
  summary: 'Other ports of an address were not tested, because it is not proven to be yours.',
  why: "Scanning somebody else's machine is not polite, and forbidden in some places.",
  source: 'Mile Marker: an address is yours when it shows a certificate stored here',
  messages: {
    foreign: {
      message: 'The ports of {address} were not tested: it does not show a certificate of this map.',
      remedy: 'Bring the front live there first, or correct `front.address` in the map.',
    },
  },
});

export const openPortCards = [portOpen, notTried];

/** Ports worth a look: what is dangerous in the open, and where consoles and dashboards often are. Bounded on purpose. */
export const watchedPorts: ReadonlyMap<number, string> = new Map([
  [21, 'FTP'],
  [22, 'SSH'],
  [23, 'Telnet'],
  [53, 'DNS'],
  [111, 'port mapper'],
  [139, 'file sharing'],
  [445, 'file sharing'],
  [548, 'file sharing'],
  [631, 'printing'],
  [873, 'file copying'],
  [1433, 'database'],
  [1521, 'database'],
  [1883, 'message broker'],
  [2049, 'file sharing'],
  [2375, 'container engine'],
  [2376, 'container engine'],
  [2379, 'cluster store'],
  [3306, 'database'],
  [3389, 'remote desktop'],
  [5432, 'database'],
  [5672, 'message broker'],
  [5900, 'remote desktop'],
  [5984, 'database'],
  [6379, 'cache'],
  [6443, 'cluster'],
  [9200, 'search engine'],
  [11211, 'cache'],
  [27017, 'database'],
  ...[
    81, 3000, 4000, 5000, 5001, 7000, 8000, 8006, 8008, 8080, 8081, 8086, 8088, 8090, 8181, 8443, 8888, 9000, 9001,
    9090,
  ].map((port) => [port, 'often a console or a service'] as const),
  ...[9100, 9443, 10_000, 15_672].map((port) => [port, 'often a console'] as const),
]);

export interface OpenPort {
  address: string;
  port: number;
}

/**
 * @property unproven addresses that were not tried @property fromHome asked from the same network
 * @property here public addresses of this machine itself, which it asked @property isWalled rules of ours for its firewall were kept
 */
export interface OpenPortsInput {
  open: readonly OpenPort[];
  unproven: readonly string[];
  published: ReadonlyMap<number, string>;
  fromHome: boolean;
  here: readonly string[];
  isWalled: boolean;
}

export function judgeOpenPorts({ open, unproven, published, fromHome, here, isWalled }: OpenPortsInput): Finding[] {
  const found = open.map(({ address, port }) => {
    const what = published.get(port) ?? watchedPorts.get(port) ?? 'unknown';
    const data = { address, port, what };
    const cause = `open:${withPort(address, port)}`;
    // SSH and the like are mostly meant; what containers publish mostly is not.
    const severity = published.has(port) && !isWalled ? 'warning' : 'note';
    if (here.includes(address))
      return tell(portOpen, { say: isWalled ? 'walled' : 'here', data, cause, leg: 'port', severity });
    return fromHome
      ? tell(portOpen, { say: 'home', data, cause, leg: 'port', severity: 'note' })
      : tell(portOpen, { say: 'outside', data, cause, leg: 'port' });
  });
  const foreign = unproven.map((address) =>
    tell(notTried, { say: 'foreign', data: { address }, cause: `foreign:${address}`, leg: 'port' }),
  );
  return [...found, ...foreign];
}
