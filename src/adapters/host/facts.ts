import { getServers } from 'node:dns';
import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { networkInterfaces } from 'node:os';
import type { HostFacts, InterfaceAddress } from '../../core/inventory/inventory.ts';
import { isContainerInterface, isLookalike } from '../../core/networks/container-interface.ts';
import { parseAddress, parseNetwork } from '../../core/networks/address.ts';
import { composeCommand } from './compose-command.ts';

/** Where distributions keep the authorities that the machine trusts, the usual ones first. */
const rootFiles = ['/etc/ssl/certs/ca-certificates.crt', '/etc/pki/tls/certs/ca-bundle.crt', '/etc/ssl/cert.pem'];

/** Learns what this machine is like. Nothing is sent. */
export function hostFacts(): HostFacts {
  return {
    addresses: interfaceAddresses(),
    gateway: defaultGateway(),
    resolvers: getServers().flatMap((server) => parseAddress(server) ?? []),
    trustedRoots: rootFiles.find((file) => existsSync(file)) ?? null,
    compose: composeCommand(),
    lookalikes: lookalikes(),
  };
}

/** Also those that are down, which have no address to show. */
function lookalikes(): string[] {
  let names: string[];
  try {
    names = readdirSync('/sys/class/net');
  } catch {
    names = Object.keys(networkInterfaces());
  }
  return names.filter(isLookalike).sort();
}

function interfaceAddresses(): InterfaceAddress[] {
  return Object.entries(networkInterfaces()).flatMap(([name, entries]) =>
    (entries ?? []).flatMap(({ address, cidr }) => {
      const own = parseAddress(address);
      const network = cidr === null ? null : parseNetwork(cidr);
      if (own === null || network === null) return [];
      return [{ interface: name, address: own, network, ofContainers: isContainerInterface(name) }];
    }),
  );
}

/** The IPv4 default gateway from the kernel's route table (proc(5), /proc/net/route: little-endian hex). */
function defaultGateway(): string | null {
  let table: string;
  try {
    table = readFileSync('/proc/net/route', 'utf8');
  } catch {
    return null;
  }
  for (const line of table.split('\n').slice(1)) {
    const [, destination, gateway = '', flags = '0'] = line.split('\t');
    const isGateway = (parseInt(flags, 16) & 2) !== 0;
    if (destination === '00000000' && isGateway) return fromLittleEndian(gateway);
  }
  return null;
}

function fromLittleEndian(hex: string): string | null {
  const bytes = hex.match(/../g)?.reverse() ?? [];
  return parseAddress(bytes.map((byte) => String(parseInt(byte, 16))).join('.'));
}
